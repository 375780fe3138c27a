import { beforeEach, expect, it, vi } from "vitest";
import { fakeHub } from "../../test-parts";
import { addThisPhone, bytes, obstacle } from "./push";

const subscribe = vi.fn();

beforeEach(() => {
  vi.unstubAllGlobals();
  vi.stubGlobal("isSecureContext", true);
  vi.stubGlobal("PushManager", class {});
  vi.stubGlobal("Notification", { requestPermission: async () => "granted" });
  Object.defineProperty(navigator, "serviceWorker", {
    value: { ready: Promise.resolve({ pushManager: { subscribe } }) },
    configurable: true,
  });
  subscribe.mockReset();
});

it("reads base64url", () => {
  expect([...bytes("-_8")]).toEqual([251, 255]);
  expect([...bytes("AQID")]).toEqual([1, 2, 3]);
});

it("says why a page without HTTPS cannot", () => {
  vi.stubGlobal("isSecureContext", false);
  expect(obstacle()).toMatch(/HTTPS/);
});

it("subscribes with the hub's key and tells the hub", async () => {
  const asked = fakeHub({
    "GET /api/phones/key": { body: { key: "AQID" } },
    "POST /api/phones": { status: 201, body: { id: 1 } },
  });
  subscribe.mockResolvedValue({
    toJSON: () => ({ endpoint: "https://push.example/1", keys: { p256dh: "p", auth: "a" } }),
  });
  await addThisPhone("Ada's phone");
  expect([...(subscribe.mock.calls[0]?.[0].applicationServerKey ?? [])]).toEqual([1, 2, 3]);
  expect(asked.at(-1)?.body).toEqual({
    name: "Ada's phone",
    endpoint: "https://push.example/1",
    keys: { p256dh: "p", auth: "a" },
  });
});

it("says that permission was not given", async () => {
  vi.stubGlobal("Notification", { requestPermission: async () => "denied" });
  await expect(addThisPhone("x")).rejects.toThrow(/Notifications from this site are blocked/);
});

it("does not wait for ever for a push service that cannot be reached", async () => {
  fakeHub({ "GET /api/phones/key": { body: { key: "AQID" } } });
  vi.useFakeTimers();
  subscribe.mockReturnValue(new Promise(() => {}));
  const given = expect(addThisPhone("x")).rejects.toThrow(/push service cannot be reached/);
  await vi.advanceTimersByTimeAsync(11_000);
  await given;
  vi.useRealTimers();
});
