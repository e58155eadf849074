// A row that an answer brings again takes the place of the one that stands there, cell by cell: the row itself stays, since
// one more child of a thousand rows has them all looked at for their styles anew, and most moves change nothing in it.

const OWN = ["hx-swap-oob", "aria-selected"]; // of the answer alone, and of the page alone
const PLACE = ["data-at", "aria-rowindex"];

/** row: as it stands. made: as the answer has it. editing: what is typed into it; its cell is kept. */
export function renewRow(row, made, editing = null) {
  // An answer that does not know where the row stands leaves that to the page.
  const left = made.dataset.at === "-1" ? [...OWN, ...PLACE] : OWN;
  for (const { name } of [...row.attributes])
    if (!left.includes(name) && !made.hasAttribute(name)) row.removeAttribute(name);
  for (const { name, value } of made.attributes)
    if (!left.includes(name) && row.getAttribute(name) !== value) row.setAttribute(name, value);
  const cells = [...made.children]; // they leave it one by one
  cells.forEach((cell, i) => {
    const there = row.children[i];
    if (!there) row.append(cell);
    else if (editing && there.contains(editing)) editing.kept = cell;
    else if (!same(there, cell)) there.replaceWith(cell);
  });
  while (row.children.length > cells.length) row.lastElementChild.remove();
}

/** Whether a cell says the same, but for what the page does with it: the one that has the focus, those that are chosen. */
function same(there, cell) {
  const plain = there.cloneNode(true);
  for (const name of ["tabindex", "aria-selected"]) plain.removeAttribute(name);
  plain.classList.remove("in-range", "same");
  return plain.isEqualNode(cell);
}
