// A ready-made automation: its blanks, with first values from this house's own past, make
// a text.
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import * as changes from "../../api/changes";
import { api, ask, type Entity, type Schemas } from "../../api/client";
import { useEntities } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Button, Failure, Labelled } from "../../ui/parts";

type Blank = Schemas["StarterBlank"];

export const useStarters = () =>
  useQuery({
    queryKey: ["starters"],
    queryFn: () => ask(api.GET("/api/starters")),
    staleTime: Number.POSITIVE_INFINITY,
  });

export function StarterForm({
  starter,
  onText,
}: {
  starter: Schemas["Starter"];
  onText: (text: string) => void;
}) {
  const entities = useEntities();
  const [filled, setFilled] = useState<Record<string, string>>({});
  const sensor = filled.sensor ?? "";
  const first = useQuery({
    queryKey: ["starters", starter.starter, sensor],
    queryFn: () =>
      ask(
        api.GET("/api/starters/{starter}/values", {
          params: { path: { starter: starter.starter }, query: { entity: sensor } },
        }),
      ),
    enabled: sensor !== "" && starter.blanks.some((one) => one.of === "sensor"),
  });
  const reason = (blank: Blank) => first.data?.find((one) => one.blank === blank.name);
  const value = (blank: Blank) =>
    filled[blank.name] ?? (blank.of ? reason(blank)?.value : undefined) ?? blank.usual;
  const write = useChange({
    mutationFn: () =>
      changes.fillStarter(
        starter.starter,
        Object.fromEntries(starter.blanks.map((one) => [one.name, value(one)])),
      ),
    onSuccess: (written) => onText(written.text),
  });
  const fill = (name: string, to: string) => setFilled((before) => ({ ...before, [name]: to }));
  return (
    <form
      className="space-y-4"
      onSubmit={(event: FormEvent) => {
        event.preventDefault();
        write.mutate();
      }}
    >
      <p>{starter.about}</p>
      {starter.blanks.map((blank) => (
        <Labelled
          key={blank.name}
          label={capital(blank.label)}
          hint={reason(blank)?.reason ?? (blank.needed ? undefined : "May stay empty.")}
        >
          {blank.sort === "entity" ? (
            <select
              required={blank.needed}
              value={value(blank)}
              onChange={(event) => fill(blank.name, event.target.value)}
              className="field"
            >
              <option value="">{blank.needed ? "choose …" : "nothing"}</option>
              {(entities.data ?? []).filter(fits(blank)).map((one) => (
                <option key={one.entity} value={one.entity}>
                  {one.spoken}
                </option>
              ))}
            </select>
          ) : (
            <input
              required={blank.needed}
              value={value(blank)}
              onChange={(event) => fill(blank.name, event.target.value)}
              className="field"
            />
          )}
        </Labelled>
      ))}
      {write.error && <Failure error={write.error} />}
      <Button type="submit" look="main" disabled={write.isPending}>
        Write the text
      </Button>
    </form>
  );
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

const fits = (blank: Blank) => (one: Entity) =>
  (blank.kinds.length === 0 || blank.kinds.includes(one.kind)) && (!blank.set || one.writable);
