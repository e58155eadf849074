// A value that stands in the row above too is not written again, in the columns that the rows are ordered by: where the
// first of them differs, the next one is written anyhow.

/** heads: the headings of the columns. rows: as they stand; groups among them begin anew. */
export function merge(heads, rows) {
  const places = heads
    .map((head, at) => [head, at + 1])
    .filter(([head]) => !["none", null].includes(head.getAttribute("aria-sort")))
    .sort(([a], [b]) => order(a) - order(b))
    .map(([, at]) => at);
  let above = null;
  for (const row of rows) {
    let same = above !== null && row.dataset.group === undefined;
    for (const at of places) {
      same &&= row.children[at].textContent === above.children[at].textContent;
      row.children[at]?.classList.toggle("same", same);
    }
    above = row.dataset.group === undefined ? row : null;
  }
}

const order = (head) => Number.parseInt(head.querySelector(".order")?.textContent.replace(/\D/g, "") || "1", 10);
