import { expect, it, vi } from "vitest";
import { fakeHub } from "../test-parts";
import { addressParts, age, api, ask, csrfToken, HubError, position } from "./client";

it("finds the token among the cookies", () => {
  expect(csrfToken("a=b; csrftoken=xyz; c=d")).toBe("xyz");
  expect(csrfToken("csrftoken=first")).toBe("first");
  expect(csrfToken("notcsrftoken=no")).toBe("");
  // Over HTTPS, what a page in the clear may have planted does not count.
  expect(csrfToken("csrftoken=planted; __Host-csrftoken=own", true)).toBe("own");
  expect(csrfToken("csrftoken=planted", true)).toBe("");
});

it("takes an address apart", () => {
  expect(addressParts("cellar-rack/humidity")).toEqual({ node: "cellar-rack", name: "humidity" });
});

it("sends the token with whatever changes something", async () => {
  vi.spyOn(document, "cookie", "get").mockReturnValue("csrftoken=secret");
  let sent = "";
  fakeHub({ "DELETE /api/pairing": { status: 204 } });
  const plain = globalThis.fetch;
  globalThis.fetch = async (input) => {
    sent = (input as Request).headers.get("X-CSRFToken") ?? "";
    return plain(input);
  };
  await ask(api.DELETE("/api/pairing"));
  expect(sent).toBe("secret");
});

it("says what the hub said", async () => {
  fakeHub({
    "GET /api/house": { status: 422, body: { detail: "so not", mistakes: [{ line: 3 }] } },
  });
  const error = await ask(api.GET("/api/house")).catch((e) => e);
  expect(error).toBeInstanceOf(HubError);
  expect(error).toMatchObject({ status: 422, message: "so not", mistakes: [{ line: 3 }] });
});

it("says that nobody answers", async () => {
  fakeHub({});
  await expect(ask(api.GET("/api/house"))).rejects.toMatchObject({
    status: 0,
    message: /does not answer/,
  });
});

it("says of a change that it was not sent, and sends it never", async () => {
  const asked = fakeHub({});
  await expect(ask(api.DELETE("/api/pairing"))).rejects.toThrow(/^Not sent\. The hub does not/);
  expect(asked).toHaveLength(1);
});

it("tells a device that is offline from a hub that is away", async () => {
  vi.spyOn(navigator, "onLine", "get").mockReturnValue(false);
  fakeHub({});
  await expect(ask(api.GET("/api/house"))).rejects.toThrow("This device is offline.");
  vi.restoreAllMocks();
});

it("tells a hub that hangs from one that is away", async () => {
  vi.stubGlobal("fetch", () => Promise.reject(new DOMException("late", "TimeoutError")));
  await expect(ask(api.GET("/api/house"))).rejects.toThrow(/does not answer in time/);
  await expect(ask(api.DELETE("/api/pairing"))).rejects.toThrow(/Look whether it was done/);
});

it("takes the sign-in page of a network for no house", async () => {
  vi.stubGlobal(
    "fetch",
    async () => new Response("<html>Welcome", { headers: { "Content-Type": "text/html" } }),
  );
  await expect(ask(api.GET("/api/house"))).rejects.toThrow(/Something answers that is not the hub/);
});

it("names each change once, so that it is made once", async () => {
  const names: string[] = [];
  vi.stubGlobal("fetch", async (input: Request) => {
    names.push(input.headers.get("Idempotency-Key") ?? "");
    return new Response(null, { status: 204 });
  });
  await ask(api.DELETE("/api/pairing"));
  await ask(api.DELETE("/api/pairing"));
  await ask(api.GET("/api/house"));
  expect(names[0]).toMatch(/^[0-9a-f]{24}$/);
  expect(names[1]).not.toBe(names[0]);
  expect(names[2]).toBe("");
});

it("remembers how old an answer is that the device had kept", async () => {
  vi.stubGlobal(
    "fetch",
    async () =>
      new Response("{}", {
        headers: { "Content-Type": "application/json", "Hombi-Kept": "1000", "Hombi-Live": "x-1" },
      }),
  );
  position.first = "";
  await ask(api.GET("/api/house"));
  expect(age.since).toBe(1000);
  expect(position.first).toBe("");
  age.since = 0;
});
