import { expect, test } from "vitest";
import { whose } from "./whose";

test("a value names its node, the node that it is computed from, or the hub", () => {
  const titles = new Map([["cellar-sump", "Cellar sump"]]);
  expect(whose("cellar-sump/depth", "cellar-sump", titles)).toBe("Cellar sump");
  expect(whose("mill-pond/depth", "mill-pond", titles)).toBe("mill-pond");
  expect(whose("cellar-sump/full", "", titles)).toBe("Cellar sump, computed");
  expect(whose("loft/cold-corner", "", titles)).toBe("computed");
  expect(whose("hub/disk", "", titles)).toBe("the hub");
});
