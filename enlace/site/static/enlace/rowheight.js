// How many lines a row has, by drag of a row's lower edge in the gutter.

import { arrange } from "./columns.js";
import { LINE } from "./grid.js";

const AT_EDGE = 6; // pixels
const MOST = 3; // lines

/** The lines of each row after a drag by some pixels. */
export const linesAfter = (lines, by) => Math.min(Math.max(1, lines + Math.round(by / LINE)), MOST);

const gutterAt = ({ target }) => target.closest?.("[data-grid] .rows .thread");
const atEdge = (gutter, event) => event.clientY > gutter.getBoundingClientRect().bottom - AT_EDGE;

/** sourceOf(element): the source that it belongs to. */
export function rowHeight(sourceOf) {
  let drag = null;
  document.addEventListener("pointerdown", (event) => {
    const gutter = !event.button && gutterAt(event);
    if (!gutter || !atEdge(gutter, event)) return;
    event.preventDefault();
    drag = { source: sourceOf(gutter), from: event.clientY, row: gutter.parentElement };
    drag.lines = Number(drag.source.grid.root.dataset.lines || 1);
  });
  document.addEventListener("pointermove", (event) => {
    const gutter = gutterAt(event);
    gutter?.classList.toggle("at-edge", atEdge(gutter, event));
    if (drag) drag.row.style.height = `calc(var(--row) + ${event.clientY - drag.from}px)`;
  });
  document.addEventListener("pointerup", (event) => {
    if (!drag) return;
    const { source, from, row, lines } = drag;
    drag = null;
    row.style.height = "";
    const wanted = linesAfter(lines, event.clientY - from);
    if (wanted !== lines) arrange(source, "lines", "", wanted);
  });
}
