// What a value is, and the unit that its node speaks.
import { useState } from "react";
import { canBeChosen, useKinds } from "../../api/queries";
import { Labelled } from "../../ui/parts";

/** Two fields, `kind` and `unit`, with `name` behind each where there are several. */
export function KindField({
  kind,
  unit,
  hint,
  name = "",
  bare = "",
}: {
  kind: string;
  unit: string;
  hint?: string;
  name?: string;
  /** Of what, where the fields stand without labels of their own. */
  bare?: string;
}) {
  const kinds = useKinds();
  const [chosen, setChosen] = useState(kind);
  const known = kinds.data?.find((one) => one.kind === chosen);
  // A node may write its unit in a way of its own ("Cel"): that stays as it is.
  const own = chosen === kind && unit && !known?.units.includes(unit) ? [unit] : [];
  const kindField = (
    <select
      required
      name={`kind${name}`}
      aria-label={bare && `Kind of ${bare}`}
      className="field"
      value={chosen}
      onChange={(event) => setChosen(event.target.value)}
    >
      {chosen === "" && <option value="">choose …</option>}
      {kinds.data === undefined && kind && <option value={kind}>{kind}</option>}
      {kinds.data?.filter(canBeChosen).map((one) => (
        <option key={one.kind} value={one.kind}>
          {one.title}
        </option>
      ))}
    </select>
  );
  const unitField = known?.unit && (
    <select
      name={`unit${name}`}
      aria-label={bare && `Unit of ${bare}`}
      className="field"
      defaultValue={chosen === kind && unit ? unit : known.unit}
      key={chosen}
    >
      {[...own, ...known.units].map((one) => (
        <option key={one}>{one}</option>
      ))}
    </select>
  );
  if (bare)
    return (
      <div className="flex gap-2">
        {kindField}
        {unitField}
      </div>
    );
  return (
    <>
      <Labelled label="What it is" hint={hint}>
        {kindField}
      </Labelled>
      {unitField && <Labelled label="The node’s unit">{unitField}</Labelled>}
    </>
  );
}
