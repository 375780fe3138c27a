// Texts from outside: what hides, forges a line or turns text round is made visible, as
// on the terminal.
const HIDES = /[\p{Cc}\p{Cf}\p{Cs}\p{Co}\p{Zl}\p{Zp}]/gu;
// Joiners that several scripts and signs need.
const JOINERS = "\u200c\u200d";

/**
 * The text with each sign that cannot be seen in the place of itself, except those in
 * `kept`.
 */
export function visible(text: string, kept = ""): string {
  return text.replace(HIDES, (sign) => {
    if (JOINERS.includes(sign) || kept.includes(sign)) return sign;
    const code = sign.codePointAt(0) ?? 0;
    if (code < 0x100) return `\\x${code.toString(16).padStart(2, "0")}`;
    return code < 0x10000
      ? `\\u${code.toString(16).padStart(4, "0")}`
      : `\\U${code.toString(16).padStart(8, "0")}`;
  });
}
