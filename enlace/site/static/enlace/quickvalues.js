// Values that a key puts into a cell: Ctrl+; the day or the time it is, Ctrl+' what the record above has.

/** Which of them a key asks for: "now", "above" or "". */
export function quickOf(event) {
  if (!event.ctrlKey && !event.metaKey) return "";
  if (event.key === ";") return "now";
  return event.key === "'" || (event.key === "Dead" && event.code === "Quote") ? "above" : "";
}

/** What a field is given for "now", on the clock that people here have; "" where it holds neither a date nor a time nor a
 *  text, which is said. head: what its heading says of it. now: another moment, for tests. */
export function nowFor(head, now = new Date()) {
  const here = new Date(now - now.getTimezoneOffset() * 60_000).toISOString();
  const [day, minute] = [here.slice(0, 10), here.slice(11, 16)];
  const typed = { date: day, text: day, longtext: day, datetime: `${day} ${minute}`, time: minute }[
    "list" in head ? "" : head.kind
  ];
  if (!typed) globalThis.enlaceSay?.("This field holds no date and no time.");
  return typed ?? "";
}
