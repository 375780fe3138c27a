// The household's units as a list, with one for a kind changed.
export function withUnit(
  units: string[],
  kind: { unit: string; units: string[] },
  to: string,
): string[] {
  const others = units.filter((unit) => !kind.units.includes(unit));
  return to === kind.unit ? others : [...others, to];
}
