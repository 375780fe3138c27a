// Some numbers of a span, each with its name.
export function Numbers({ rows }: { rows: [string, string][] }) {
  return (
    <dl aria-label="This span in numbers" className="mt-3 flex flex-wrap gap-x-10 gap-y-1">
      {rows.map(([name, value]) => (
        <div key={name} className="flex gap-2">
          <dt className="text-faint">{name}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </dl>
  );
}
