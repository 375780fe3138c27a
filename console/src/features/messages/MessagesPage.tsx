// What arrives, as it came: filtered, live, and the way to pick a value out of it.
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { Message } from "../../api/client";

import { Await, Button, Empty, Labelled, Mark, Page } from "../../ui/parts";
import { clock } from "../../ui/time";
import { visible } from "../../ui/visible";
import { Pick } from "./Pick";
import { useMessages } from "./stream";

const WAYS: Record<Message["via"], string> = {
  door: "the MQTT listener",
  broker: "the broker",
  http: "HTTP",
  zigbee: "Zigbee",
  bluetooth: "Bluetooth",
};

export function MessagesPage() {
  const [params, setParams] = useSearchParams();
  const [each, setEach] = useState(true);
  const [paused, setPaused] = useState(false);
  const [picking, setPicking] = useState<Message | null>(null);
  const text = (name: string) => params.get(name) ?? "";
  const messages = useMessages(
    { via: text("via"), topic: text("topic"), node: text("node"), text: text("text") },
    each,
    paused,
  );

  function set(name: string, value: string) {
    const next = new URLSearchParams(params);
    if (value) next.set(name, value);
    else next.delete(name);
    setParams(next, { replace: true });
  }

  function field(name: string, label: string, example: string) {
    return (
      <Labelled label={label}>
        <input
          className="field"
          value={text(name)}
          placeholder={example}
          autoComplete="off"
          spellCheck={false}
          onChange={(event) => set(name, event.target.value)}
        />
      </Labelled>
    );
  }

  return (
    <Page title="Messages" aside={<span className="text-faint">as received, over any link</span>}>
      <form
        className="mb-5 grid gap-x-4 gap-y-3 sm:grid-cols-[1fr_2fr_1fr_1fr_auto] sm:items-end"
        onSubmit={(e) => e.preventDefault()}
      >
        <Labelled label="Came in by">
          <select
            className="field"
            value={text("via")}
            onChange={(event) => set("via", event.target.value)}
          >
            <option value="">any way</option>
            {Object.entries(WAYS).map(([via, name]) => (
              <option key={via} value={via}>
                {name}
              </option>
            ))}
          </select>
        </Labelled>
        {field("topic", "Topic", "mill/+/state or mill/#")}
        {field("node", "Node or MQTT account", "herb-bed")}
        {field("text", "With this in it", "temp")}
        <div className="flex gap-3">
          <Button aria-pressed={each} onClick={() => setEach(!each)}>
            Last of each topic
          </Button>
          <Button aria-pressed={paused} onClick={() => setPaused(!paused)}>
            Pause
          </Button>
        </div>
      </form>
      {messages.passedOver > 0 && (
        <p className="mb-2 text-faint text-sm">
          {messages.passedOver} more came faster than anybody can read; a narrower topic shows them.
        </p>
      )}
      <Await of={messages} lines={8}>
        {(found) =>
          found.length === 0 ? (
            <Empty>No message matches yet. New messages appear here at once.</Empty>
          ) : (
            <ul aria-label="Messages" className="rule border-b">
              {found.map((message) => (
                <Row
                  key={each ? `${message.via} ${message.topic}` : message.number}
                  message={message}
                  pick={() => setPicking(message)}
                />
              ))}
            </ul>
          )
        }
      </Await>
      {picking && <Pick message={picking} close={() => setPicking(null)} />}
    </Page>
  );
}

function Row({ message, pick }: { message: Message; pick: () => void }) {
  const own = message.sender !== "" && message.sender === message.node;
  return (
    <li className="rule grid grid-cols-[1fr_auto] gap-x-4 border-t py-2">
      <div className="min-w-0">
        <div className="flex flex-wrap items-baseline gap-x-4">
          <time className="text-faint text-sm">{clock(message.at)}</time>
          <span className="break-all font-medium">{visible(message.topic)}</span>
          <span className="text-faint text-sm">{WAYS[message.via]}</span>
          {message.node ? (
            <Link className="text-act text-sm hover:underline" to={`/nodes/${message.node}`}>
              {message.node}
            </Link>
          ) : (
            <span className="text-faint text-sm">no node’s yet</span>
          )}
          {message.retained && <Mark>retained by the broker, age unknown</Mark>}
        </div>
        <code
          key={message.number}
          className="glow block overflow-hidden text-ellipsis whitespace-nowrap text-sm"
        >
          {message.binary
            ? `${message.size} bytes: ${message.payload}`
            : visible(message.payload, "\n\t") || "(empty)"}
        </code>
      </div>
      {message.via === "zigbee" && message.node && (
        <Link
          className="self-center text-act text-sm hover:underline"
          to={`/nodes/${message.node}?profile`}
        >
          Name its values
        </Link>
      )}
      {!own && (message.via === "door" || message.via === "broker") && (
        <Button
          className="self-center"
          onClick={pick}
          aria-label={`Pick a value out of ${message.topic}`}
        >
          Pick a value
        </Button>
      )}
    </li>
  );
}
