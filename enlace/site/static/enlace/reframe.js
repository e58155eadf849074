// A grid in another order, or with other filters, keeps its columns: what is said above its rows is put into it, rather than
// made anew with all that its headings hold. That would cost a layout of the page before its rows are there.

import { ASKS } from "./patch.js";

// What rows bring with them.
const OF_ROWS = [
  "aria-rowcount",
  "class",
  "data-line",
  "data-size",
  "data-start",
  "data-total",
  "data-widths",
  "style",
];
const SAID = ["[data-sentence]", "[data-filter]", "[data-empty-note]"]; // taken as they come

const named = (root) => [...root.querySelectorAll(".grid-head [data-name]")];
/** What makes a grid the one it is, but for its rows and their order. */
function frame(root) {
  const attributes = [...root.attributes].filter(({ name }) => !OF_ROWS.includes(name));
  const own = attributes.map(({ name, value }) => `${name}=${value}`).sort();
  return JSON.stringify([own, named(root).map(({ dataset }) => dataset.name)]);
}

/** The boxes to filter by stay, with whoever is in one. */
function boxes(root, next) {
  const [there, its] = [root, next].map((place) => place.querySelector("[data-filters]"));
  if (!there) return;
  there.hidden = its.hidden;
  const made = [...its.querySelectorAll("input")];
  [...there.querySelectorAll("input")].forEach((box, i) => {
    box.defaultValue = made[i].defaultValue;
    box.value = made[i].value;
    box.ariaInvalid = made[i].ariaInvalid;
  });
}

/** Put an answer's sentence, boxes and headings into a control that shows the same grid; whether it does. */
export function reframe(control, made) {
  const [root, next] = [control, made].map((place) => place.querySelector("[data-grid]"));
  const several = [control, made].some((place) => place.querySelector(".split"));
  if (!root || !next || several || "grouped" in root.dataset || frame(root) !== frame(next)) return false;
  if (SAID.some((said) => !control.querySelector(said) !== !made.querySelector(said))) return false;
  root.dataset.size = next.dataset.size;
  boxes(root, next);
  const heads = named(next);
  named(root).forEach((head, i) => {
    head.ariaSort = heads[i].ariaSort;
    const [link, its] = [head, heads[i]].map((one) => one.querySelector("a"));
    if (!link) return;
    link.setAttribute("href", its.getAttribute("href"));
    link.dataset.also = its.dataset.also;
    if (link.innerHTML !== its.innerHTML) link.innerHTML = its.innerHTML;
  });
  for (const said of SAID) {
    const there = control.querySelector(said);
    const its = made.querySelector(said);
    if (!there || there.isEqualNode(its)) continue;
    changeInto(there, its);
    for (const asking of there.querySelectorAll(ASKS)) htmx.process(asking);
  }
  return true;
}

/** What stands there becomes what an answer has. It stays itself: one that is taken out and put in has all that comes behind
 *  it, the grid, styled anew. */
function changeInto(there, its) {
  for (const { name } of [...there.attributes]) if (!its.hasAttribute(name)) there.removeAttribute(name);
  for (const { name, value } of its.attributes) there.setAttribute(name, value);
  there.replaceChildren(...its.childNodes);
}
