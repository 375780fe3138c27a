import { expect, it } from "vitest";
import { visible } from "./visible";

it("shows what hides", () => {
  expect(visible("Cellar\u001b[31m rack\n12:00 forged")).toBe(
    "Cellar\\x1b[31m rack\\x0a12:00 forged",
  );
  expect(visible("a\u202eb\u009bc\u{e0041}")).toBe("a\\u202eb\\x9bc\\U000e0041");
});

it("leaves what people write", () => {
  expect(visible("Käserei · 熟成庫 👩‍🌾 می‌خواهم")).toBe("Käserei · 熟成庫 👩‍🌾 می‌خواهم");
  expect(visible('{\n\t"t": 1\n}', "\n\t")).toBe('{\n\t"t": 1\n}');
});
