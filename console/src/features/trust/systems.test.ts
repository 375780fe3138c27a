import { expect, test } from "vitest";
import { SYSTEMS, systemOf } from "./systems";

test("a device is led by the steps of its own system", () => {
  expect(systemOf("Mozilla/5.0 (iPhone; CPU iPhone OS 18_0 like Mac OS X)")).toBe("iphone");
  // A tablet that passes for a computer has a touch screen.
  expect(systemOf("Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15)", 5)).toBe("iphone");
  expect(systemOf("Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15)", 0)).toBe("mac");
  expect(systemOf("Mozilla/5.0 (Linux; Android 15)")).toBe("android");
  expect(systemOf("Mozilla/5.0 (Windows NT 10.0)")).toBe("windows");
  expect(systemOf("Mozilla/5.0 (X11; Linux x86_64)")).toBe("linux");
});

test("each drawing has exactly one row to press", () => {
  for (const { drawn } of SYSTEMS.flatMap((one) => one.steps))
    if (drawn) expect(drawn.filter((row) => row.startsWith("*"))).toHaveLength(1);
});
