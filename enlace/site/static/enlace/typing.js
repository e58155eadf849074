// What a key types, on whatever keyboard it stands.

const MAC = /^Mac/.test(globalThis.navigator?.platform ?? "");

/** The character that a press of a key types, "" where it types none: with AltGr, and on a Mac with Option, other
 *  characters are typed; with Ctrl, with Alt alone and with Command something is done instead. */
export function typedBy(event, mac = MAC) {
  if ([...event.key].length !== 1) return "";
  if (event.getModifierState?.("AltGraph")) return event.key;
  return event.ctrlKey || event.metaKey || (event.altKey && !mac) ? "" : event.key;
}

/** Whether a key waits for the next one, which it puts an accent on. */
export const isDead = (event) => event.key === "Dead" && !event.ctrlKey && !event.metaKey;

/** The letter of a key that something is done by: the one on it, or the one at its place where no Latin letter is on it, as on
 *  keyboards of other scripts, and with Option on a Mac. */
export function letterOf(event) {
  if (/^[a-z]$/i.test(event.key)) return event.key.toUpperCase();
  return /^Key[A-Z]$/.test(event.code) ? event.code.slice(3) : "";
}
