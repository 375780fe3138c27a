// Where a computed value comes from.
import { useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "react-router";
import * as changes from "../../api/changes";
import type { EntityDetail } from "../../api/client";
import { keys, useEntities } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Asked } from "../../ui/Asked";
import { visible } from "../../ui/visible";

export function Computed({
  entity,
  how,
}: {
  entity: EntityDetail;
  how: NonNullable<EntityDetail["computed"]>;
}) {
  const entities = useEntities();
  const cache = useQueryClient();
  const navigate = useNavigate();
  const spoken = new Map(entities.data?.map((one) => [one.entity, one.spoken]));
  const remove = useChange({
    mutationFn: () => changes.removeEntity(entity.entity),
    onSuccess: () => {
      for (const queryKey of [keys.entities, keys.house])
        void cache.invalidateQueries({ queryKey });
      void navigate(entity.room ? `/rooms/${entity.room}` : "/readings");
    },
  });
  const { text, of: _, ...numbers } = how.parameters;
  const parameters = Object.entries(numbers);
  return (
    <section aria-labelledby="origin">
      <h2 id="origin" className="mb-3 text-xl">
        Where it comes from
      </h2>
      <div className="space-y-2 border-ink border-l-2 pl-4">
        <p>
          It is computed. {how.about}
          {how.source && <span className="text-faint"> ({how.source})</span>}
        </p>
        {text && <code className="wrap-anywhere block">{visible(text)}</code>}
        <ol aria-label="Computed from" className="list-inside list-decimal">
          {how.sources.map((one) => (
            <li key={one}>
              <Link className="text-act underline" to={`/readings/${one}`}>
                {visible(spoken.get(one) ?? one)}
              </Link>
            </li>
          ))}
        </ol>
        {parameters.length > 0 && (
          <p>With {parameters.map(([name, value]) => `${name} = ${value}`).join(", ")}.</p>
        )}
      </div>
      <div className="mt-4">
        <Asked
          title={`Remove ${entity.spoken}?`}
          yes="Remove"
          label={`Remove ${entity.spoken}`}
          busy={remove.isPending}
          error={remove.error}
          onYes={() => remove.mutate()}
        >
          <p>Removing it also deletes its history. What it is computed from stays.</p>
        </Asked>
      </div>
    </section>
  );
}
