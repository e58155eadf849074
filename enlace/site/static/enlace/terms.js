// Terms of an order, or of groups, as they stand in addresses.

/** A term. name: a field's, or what else can be ordered by. A name that begins like a sign has one in front of it always. */
export function termOf(name, down = false) {
  const sign = /^[-+]/.test(name) ? "+" : "";
  return `${down ? "-" : sign}${name}`;
}

/** What a term names, whichever way it goes. */
export const namedBy = (term) => term.replace(/^[-+]/, "");
