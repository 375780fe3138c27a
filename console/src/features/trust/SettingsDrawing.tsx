// A settings page as a drawing: rows, and the one to press.

const ROW = 30;
const WIDTH = 250;

export function SettingsDrawing({ rows }: { rows: string[] }) {
  const height = rows.length * ROW + 16;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${height}`}
      className="mt-2 block w-[250px] max-w-full text-rule"
      role="img"
      aria-label={`Press ${rows.find((one) => one.startsWith("*"))?.slice(1)}`}
    >
      <rect
        x="1"
        y="1"
        width={WIDTH - 2}
        height={height - 2}
        rx="8"
        fill="none"
        stroke="currentColor"
        strokeWidth="2"
      />
      {rows.map((row, place) => {
        const meant = row.startsWith("*");
        const y = 8 + place * ROW;
        return (
          <g key={row}>
            {place > 0 && (
              <line x1="12" x2={WIDTH - 12} y1={y} y2={y} stroke="currentColor" strokeWidth="1" />
            )}
            {meant && (
              <rect
                x="5"
                y={y + 2}
                width={WIDTH - 10}
                height={ROW - 4}
                rx="4"
                className="fill-act/15 stroke-act"
                strokeWidth="2"
              />
            )}
            <text
              x="14"
              y={y + 20}
              fontSize="13"
              className={meant ? "fill-ink font-semibold" : "fill-faint"}
            >
              {meant ? row.slice(1) : row}
            </text>
            {meant && (
              <path
                d={`M${WIDTH - 20} ${y + 10} l5 5 l-5 5`}
                fill="none"
                className="stroke-act"
                strokeWidth="2"
              />
            )}
          </g>
        );
      })}
    </svg>
  );
}
