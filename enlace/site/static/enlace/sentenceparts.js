// The fields of an order, or of groups, put in another sequence in the sentence: by drag, or with Alt and an arrow.

import { noClick } from "./drags.js";
import { namedBy } from "./terms.js";

const FAR = 8; // pixels until a press is a drag
const EMPTY = /:empty$/;

/** The field that a term of an address speaks of. list: "order" or "group". */
function fieldOf(term, list) {
  const plain = namedBy(term);
  return list === "group" ? plain.replace(/:[^:]*$/, "") : plain.replace(EMPTY, "");
}

/** What is asked for with one field's terms before another one's; before: null for the end. */
export function reordered(view, list, field, before) {
  const asked = new URLSearchParams(view);
  const terms = asked.getAll(list).filter(Boolean);
  const own = terms.filter((term) => fieldOf(term, list) === field);
  const rest = terms.filter((term) => fieldOf(term, list) !== field);
  const at = rest.findIndex((term) => fieldOf(term, list) === before);
  asked.delete(list);
  for (const term of rest.toSpliced(at < 0 ? rest.length : at, 0, ...own)) asked.append(list, term);
  return asked;
}

const partAt = ({ target }) => target.closest?.("[data-sentence] [data-term]");
const alike = (part) => [
  ...part.closest("[data-sentence]").querySelectorAll(`[data-term][data-list="${part.dataset.list}"]`),
];

/** sourceOf(element): the source that it belongs to. */
export function sentenceParts(sourceOf) {
  let drag = null;
  const clear = () => {
    for (const part of document.querySelectorAll(".said-part.put-before")) part.classList.remove("put-before");
  };
  function put(part, before) {
    const { list, term } = part.dataset;
    const source = sourceOf(part);
    source.arrange(reordered(source.view, list, term, before)).then(() => {
      const sentence = source.el("sentence");
      sentence?.querySelector(`[data-list="${list}"][data-term="${CSS.escape(term)}"] .turns`)?.focus();
    });
  }
  document.addEventListener("keydown", (event) => {
    const part = partAt(event);
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!part || !by || !event.altKey) return;
    event.preventDefault(); // in a browser it goes back a page
    const all = alike(part);
    const at = all.indexOf(part);
    if (!all[at + by]) return enlaceSay(by < 0 ? "It is the first one already." : "It is the last one already.");
    put(part, all[by < 0 ? at - 1 : at + 2]?.dataset.term ?? null);
    enlaceSay(`Now ${at + by + 1} of ${all.length}.`);
  });
  document.addEventListener("pointerdown", (event) => {
    const part = !event.button && partAt(event);
    drag = part ? { part, from: event.clientX } : null;
  });
  document.addEventListener("dragstart", (event) => partAt(event) && event.preventDefault()); // its words are a link
  document.addEventListener("pointermove", (event) => {
    if (!drag) return;
    drag.going ||= Math.abs(event.clientX - drag.from) > FAR;
    clear();
    const over = drag.going && partAt(event);
    if (over && over !== drag.part && alike(drag.part).includes(over)) over.classList.add("put-before");
  });
  document.addEventListener("pointerup", (event) => {
    if (!drag) return;
    const { part, going } = drag;
    drag = null;
    clear();
    if (!going) return;
    noClick();
    const over = partAt(event);
    if (over && over !== part && alike(part).includes(over)) put(part, over.dataset.term);
    else if (!over && event.target.closest?.("[data-sentence]") === part.closest("[data-sentence]")) put(part, null);
  });
}
