import { expect, it, vi } from "vitest";
import { fakeHub } from "../test-parts";
import { addressParts, api, ask, csrfToken, HubError } from "./client";

it("finds the token among the cookies", () => {
  expect(csrfToken("a=b; csrftoken=xyz; c=d")).toBe("xyz");
  expect(csrfToken("csrftoken=first")).toBe("first");
  expect(csrfToken("notcsrftoken=no")).toBe("");
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
