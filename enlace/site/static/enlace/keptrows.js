// Rows that a person keeps in sight above the others, whatever is scrolled to: part of the head of their grid, which stays.

import { Fragment } from "./fragment.js";

export class KeptRows extends Fragment {
  /** go(id): make a record the current one. */
  constructor(grid, address, go) {
    super(grid, address, "kept-rows", grid.root.querySelector("[data-kept]"));
    this.go = go;
    if (!this.box) return;
    this.box.addEventListener("click", ({ target }) => this.chosen(target.closest(".record")));
    this.box.addEventListener("keydown", (event) => this.key(event));
    if (this.wanted) this.load();
  }

  get wanted() {
    return this.box && JSON.parse(this.grid.root.dataset.keptRows || "[]").length > 0;
  }

  show(html, ok) {
    if (!ok) return;
    const held = this.box.contains(document.activeElement) && document.activeElement.closest(".record").dataset.id;
    this.box.innerHTML = html;
    for (const cell of this.box.querySelectorAll("[role=gridcell]:not(.thread)")) cell.tabIndex = -1;
    if (held) this.rowOf(held)?.children[1].focus();
    this.grid.resized(); // there is less room for the others
  }

  rowOf(id) {
    return [...this.box.children].find((row) => row.dataset.id === id);
  }

  chosen(row) {
    if (row) this.go(row.dataset.id);
  }

  /** From the first row of the grid one goes up into them; whether there are any. */
  enter(column) {
    const cell = this.box?.lastElementChild?.children[column];
    cell?.focus();
    return Boolean(cell);
  }

  key(event) {
    const row = event.target.closest(".record");
    if (!row || event.ctrlKey || event.altKey || event.metaKey) return;
    const at = [...row.children].indexOf(event.target);
    const beside = { ArrowUp: row.previousElementSibling, ArrowDown: row.nextElementSibling }[event.key];
    const cell = { ArrowLeft: row.children[Math.max(1, at - 1)], ArrowRight: row.children[at + 1] }[event.key];
    if (event.key === "ArrowDown" && !beside) this.grid.focus();
    else if (event.key === "ArrowUp" && !beside) this.grid.headings[at - 1]?.focus();
    else if (beside || cell) (beside?.children[at] || cell).focus();
    else if (event.key === "Enter" || event.key === " ") this.chosen(row);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
}
