import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { Route, Routes } from "react-router";
import { expect, it, vi } from "vitest";
import { entity, fakeHub, plug, show } from "../../test-parts";
import { TextEditor } from "../../ui/TextEditor";
import { AutomationPage } from "./AutomationPage";
import { Blanks } from "./Blanks";

// The editor needs a browser that lays out its lines; the browser's tests have it.
vi.mock("../../ui/CodeText", () => import("../../ui/PlainText"));

const mistake = {
  line: 2,
  column: 5,
  what: "no entity a/b",
  hint: "did you mean a/c?",
  source_line: "x = 1",
};

function Editor() {
  const [text, setText] = useState("one\ntwo words\nthree");
  return <TextEditor label="The text" text={text} setText={setText} mistakes={[mistake]} />;
}

it("marks the line of a mistake, and goes to its column", async () => {
  show(<Editor />);
  const area = screen.getByRole<HTMLTextAreaElement>("textbox");
  expect(area).toBeInvalid();
  expect(screen.getByText("did you mean a/c?")).toBeInTheDocument();
  await userEvent.click(screen.getByRole("button", { name: "line 2, column 5" }));
  const now = screen.getByRole<HTMLTextAreaElement>("textbox");
  expect(now).toHaveFocus();
  expect(now.selectionStart).toBe(8);
});

const sound = { ok: true, sentence: "When it is damp: fan on.", mistakes: [] };

function page() {
  show(
    <Routes>
      <Route path="/automations/:automation" element={<AutomationPage />} />
    </Routes>,
    "/automations/new",
  );
}

it("saves only a text that the hub has found sound", async () => {
  const asked = fakeHub({
    "POST /api/automations/check": (body) => ({
      body: (body as { text: string }).text.includes("good")
        ? sound
        : { ok: false, sentence: "", mistakes: [mistake] },
    }),
    "POST /api/automations": { status: 201, body: { automation: "damp", name: "Damp" } },
    "GET /api/automations": { body: [] },
    "GET /api/entities": { body: [] },
    "GET /api/nodes": { body: [] },
    "GET /api/house": { body: { floors: [] } },
  });
  page();
  const save = await screen.findByRole("button", { name: "Put on duty" });
  expect(save).toBeDisabled();
  const area = screen.getByRole("textbox", { name: "The automation's text" });
  await userEvent.type(area, "bad");
  expect(await screen.findByText(/no entity a\/b/)).toBeInTheDocument();
  expect(save).toBeDisabled();
  await userEvent.clear(area);
  await userEvent.type(area, "good");
  expect(await screen.findByText("When it is damp: fan on.")).toBeInTheDocument();
  await waitFor(() => expect(save).toBeEnabled());
  await userEvent.click(save);
  await waitFor(() =>
    expect(asked.filter((a) => a.what === "POST /api/automations").map((a) => a.body)).toEqual([
      { text: "good" },
    ]),
  );
});

it("writes the text from the form", async () => {
  const asked = fakeHub({
    "POST /api/automations/check": { body: sound },
    "POST /api/automations/write": { body: { ...sound, text: 'name = "Damp"\n' } },
    "GET /api/automations": { body: [] },
    "GET /api/entities": { body: [entity("rack/humidity"), plug(0)] },
  });
  page();
  await userEvent.type(await screen.findByLabelText(/^Name/), "Damp");
  await screen.findByRole("option", { name: /rack humidity/ });
  await userEvent.selectOptions(screen.getByLabelText("Watch"), "rack/humidity");
  await userEvent.type(screen.getByLabelText("Limit"), "70 %");
  await userEvent.selectOptions(screen.getByLabelText(/^Switch on/), "plug/switch");
  await userEvent.click(screen.getByRole("button", { name: "Write the text" }));
  await waitFor(() =>
    expect(screen.getByRole("textbox", { name: "The automation's text" })).toHaveValue(
      'name = "Damp"\n',
    ),
  );
  const written = asked.find((a) => a.what === "POST /api/automations/write");
  expect(written?.body).toMatchObject({
    name: "Damp",
    entity: "rack/humidity",
    condition: "over",
    limit: "70 %",
    switch: "plug/switch",
  });
});

it("asks before the form replaces what was typed", async () => {
  fakeHub({
    "POST /api/automations/check": {
      body: { ...sound, warnings: [{ ...mistake, what: "it switches what it watches" }] },
    },
    "POST /api/automations/write": { body: { ...sound, text: 'name = "Damp"\n' } },
    "GET /api/automations": { body: [] },
    "GET /api/entities": { body: [entity("rack/humidity"), plug(0)] },
  });
  page();
  await userEvent.type(await screen.findByLabelText(/^Name/), "Damp");
  await screen.findByRole("option", { name: /rack humidity/ });
  await userEvent.selectOptions(screen.getByLabelText("Watch"), "rack/humidity");
  await userEvent.type(screen.getByLabelText("Limit"), "70 %");
  const area = screen.getByRole("textbox", { name: "The automation's text" });
  await userEvent.type(area, "# mine");
  expect(await screen.findByText(/it switches what it watches/)).toBeInTheDocument();
  await userEvent.click(screen.getByRole("button", { name: "Write the text" }));
  await userEvent.click(await screen.findByRole("button", { name: "Keep mine" }));
  expect(area).toHaveValue("# mine");
  await userEvent.click(screen.getByRole("button", { name: "Write the text" }));
  await userEvent.click(await screen.findByRole("button", { name: "Replace it" }));
  await waitFor(() => expect(area).toHaveValue('name = "Damp"\n'));
});

let kept = "";

function Windows() {
  const [text, setText] = useState("one\r\ntwo");
  kept = text;
  return (
    <TextEditor
      label="The text"
      text={text}
      setText={setText}
      mistakes={[{ ...mistake, column: 1 }]}
    />
  );
}

it("keeps the ends of lines that a text has", async () => {
  show(<Windows />);
  const area = screen.getByRole<HTMLTextAreaElement>("textbox");
  await userEvent.type(area, "{Enter}three");
  expect(kept).toBe("one\r\ntwo\r\nthree");
  await userEvent.click(screen.getByRole("button", { name: "line 2, column 1" }));
  expect(screen.getByRole<HTMLTextAreaElement>("textbox").selectionStart).toBe(4);
});

function Form() {
  const [text, setText] = useState('over = "1"\nheld = "2"');
  const fields = ["over", "held"].map((name) => ({
    path: [name],
    label: name,
    value: text.match(new RegExp(`${name} = "(.*)"`))?.[1] ?? "",
  }));
  return (
    <>
      <Blanks text={text} fields={fields} onText={setText} />
      <button type="button" onClick={() => setText((now) => `# mine\n${now}`)}>
        write on
      </button>
      <pre>{text}</pre>
    </>
  );
}

it("makes each edit of the form in the text that the one before has made", async () => {
  const waiting: (() => void)[] = [];
  vi.stubGlobal("fetch", async (input: Request) => {
    const { text, path, value } = JSON.parse(await input.text());
    await new Promise<void>((go) => waiting.push(go));
    const made = text.replace(new RegExp(`${path[0]} = ".*"`), `${path[0]} = "${value}"`);
    return new Response(JSON.stringify({ text: made }), {
      headers: { "Content-Type": "application/json" },
    });
  });
  show(<Form />);
  for (const [label, to] of [
    ["over", "5"],
    ["held", "7"],
  ] as const) {
    await userEvent.clear(screen.getByLabelText(label));
    await userEvent.type(screen.getByLabelText(label), `${to}{Enter}`);
  }
  await userEvent.click(screen.getByRole("button", { name: "write on" }));
  await waitFor(() => {
    waiting.splice(0).map((go) => go());
    expect(screen.getByText(/# mine/)).toHaveTextContent('# mine over = "5" held = "7"');
  });
});
