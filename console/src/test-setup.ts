import "@testing-library/jest-dom/vitest";
import { cleanup, configure } from "@testing-library/react";
import { afterEach, vi } from "vitest";

afterEach(cleanup);
// What is kept on a device is no affair of the next test.
afterEach(() => localStorage.clear());
// What is expected is waited for: a busy machine draws late.
configure({ asyncUtilTimeout: 20_000 });

// What jsdom lacks and Headless UI asks for.
class NoObserver {
  observe() {}
  unobserve() {}
  disconnect() {}
}
vi.stubGlobal("ResizeObserver", NoObserver);
vi.stubGlobal("matchMedia", () => ({
  matches: false,
  addEventListener() {},
  removeEventListener() {},
}));
