import { expect, test } from "vitest";
import { houseMs } from "../../ui/time";
import { typedValues } from "./typed";

test("a time of the house's clock is one moment, also when the clocks change", () => {
  const vienna = (text: string) => new Date(houseMs(text, "Europe/Vienna") ?? 0).toISOString();
  expect(vienna("2026-11-27 10:00")).toBe("2026-11-27T09:00:00.000Z");
  expect(vienna("2026-07-01 00:30")).toBe("2026-06-30T22:30:00.000Z");
  expect(vienna("2026-10-25 02:30")).toBe("2026-10-25T00:30:00.000Z");
  expect(vienna("2026-10-25 03:30")).toBe("2026-10-25T02:30:00.000Z");
  expect(new Date(houseMs("2026-11-27 23:00", "Pacific/Auckland") ?? 0).toISOString()).toBe(
    "2026-11-27T10:00:00.000Z",
  );
  expect(new Date(houseMs("2026-11-27 23:00", "America/Los_Angeles") ?? 0).toISOString()).toBe(
    "2026-11-28T07:00:00.000Z",
  );
  for (const none of ["", "10:00", "2026-02-30 10:00", "27.11.2026 10:00"])
    expect(houseMs(none, "UTC")).toBe(null);
});

test("lines are values with their time; the first that is none is named", () => {
  const { values, wrong } = typedValues(
    "2026-11-27 10:00 = 21.4 °C\n\n2026-11-27 11:00=21\n",
    "K",
    "UTC",
  );
  expect(values.map((one) => one.value)).toEqual(["21.4 °C", "21 K"]);
  expect(wrong).toBe(null);
  expect(typedValues("2026-11-27 10:00 = 21\nyesterday = 3", "K", "UTC").wrong).toBe(
    "yesterday = 3",
  );
});
