// Columns that stay at a side of a grid while the others move: sticky cells, by rules that the page makes for each grid,
// since their offsets are known only with the widths.

import { THREAD } from "./widths.js";

const sheets = new Map(); // by the id of a grid's root, so that a grid that is drawn anew takes over its own

/** widths: of all columns, in pixels. Gives what the columns at either side take. */
export function pin(root, widths) {
  const { pinnedStart = 0, pinnedEnd = 0 } = root.dataset;
  const rules = [];
  let start = THREAD;
  for (let at = 0; at < Number(pinnedStart); at++) {
    rules.push(rule(root.id, at + 2, `left: ${start}px`, at === pinnedStart - 1 ? "right" : ""));
    start += widths[at];
  }
  let end = 0;
  for (let at = widths.length - 1; at >= widths.length - Number(pinnedEnd); at--) {
    rules.push(rule(root.id, at + 2, `right: ${end}px`, at === widths.length - pinnedEnd ? "left" : ""));
    end += widths[at];
  }
  if (rules.length || sheets.has(root.id)) sheetOf(root.id).replaceSync(rules.join("\n"));
  return { start, end };
}

function sheetOf(id) {
  if (!sheets.has(id)) {
    sheets.set(id, new CSSStyleSheet());
    document.adoptedStyleSheets.push(sheets.get(id));
  }
  return sheets.get(id);
}

/** Weak, so that what says a cell's state by its ground still does. edge: the side at which the others go beneath. */
function rule(id, child, offset, edge) {
  const rows = `:where(#${CSS.escape(id)} :is(.record:not(.group-line), .blank-row, .totals-row, .grid-head > [role="row"]))`;
  const line = edge ? `border-${edge}: 2px solid var(--edge) !important;` : "";
  return `${rows} > :nth-child(${child}) { position: sticky !important; ${offset}; z-index: 1; background-color: var(--ground, var(--sheet)); ${line} }`;
}
