// The texts that an automation had, and how to have one of them again.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask } from "../../api/client";
import { Button } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";
import { exact } from "../../ui/time";
import { visible } from "../../ui/visible";

export function Texts({
  automation,
  text,
  onText,
}: {
  automation: string;
  text: string;
  onText: (text: string) => void;
}) {
  const [shown, setShown] = useState<string | null>(null);
  const texts = useQuery({
    // What is kept now is one of them.
    queryKey: ["automations", "texts", automation, text],
    queryFn: () =>
      ask(api.GET("/api/automations/{automation}/texts", { params: { path: { automation } } })),
    placeholderData: (before) => before,
  });
  const before = (texts.data ?? []).slice(1);
  if (before.length === 0) return null;
  return (
    <details className="mt-8">
      <summary className="cursor-pointer font-medium">Its texts before ({before.length})</summary>
      <ol className="mt-2">
        {before.map((one) => (
          <li key={`${one.at} ${one.text.length}`} className="rule border-t py-2">
            <button type="button" className="text-act underline" onClick={() => setShown(one.text)}>
              {one.at ? exact(one.at) : "the first one"}
            </button>{" "}
            {one.by && <span className="text-faint">by {visible(one.by)}</span>}
          </li>
        ))}
      </ol>
      <Sheet wide open={shown !== null} close={() => setShown(null)} title="Earlier version">
        <pre className="mb-4 overflow-x-auto font-mono text-sm leading-6">{shown}</pre>
        <div className="flex justify-end gap-3">
          <Button onClick={() => setShown(null)}>Close</Button>
          <Button
            look="main"
            onClick={() => {
              onText(shown ?? "");
              setShown(null);
            }}
          >
            Take it into the editor
          </Button>
        </div>
      </Sheet>
    </details>
  );
}
