// Rows that a person keeps in sight above the others, whatever is scrolled to: part of the head of their grid, which stays.

const PAUSE = 250; // ms: several edits are shown at once

export class KeptRows {
  /** address(path): where the grid's records are. go(id): make a record the current one. */
  constructor(grid, address, go) {
    Object.assign(this, { grid, address, go });
    this.box = grid.root.querySelector("[data-kept]");
    if (!this.box) return;
    this.box.addEventListener("click", ({ target }) => this.chosen(target.closest(".record")));
    this.box.addEventListener("keydown", (event) => this.key(event));
    if (this.ids.length) this.load();
  }

  get ids() {
    return JSON.parse(this.grid.root.dataset.keptRows || "[]");
  }

  soon() {
    clearTimeout(this.timer);
    if (this.box && this.ids.length) this.timer = setTimeout(() => this.load(), PAUSE);
  }

  async load() {
    this.asking?.abort();
    this.asking = new AbortController();
    try {
      await this.grid.edits.idle();
      const { which } = this.grid;
      const path = `kept-rows${which ? `?grid=${encodeURIComponent(which)}` : ""}`;
      const { signal } = this.asking;
      const response = await fetch(this.address(path), { headers: { "HX-Request": "true" }, signal });
      const html = await response.text();
      if (!response.ok || !this.box.isConnected) return;
      const held = this.box.contains(document.activeElement) && document.activeElement.closest(".record").dataset.id;
      this.box.innerHTML = html;
      for (const cell of this.box.querySelectorAll("[role=gridcell]:not(.thread)")) cell.tabIndex = -1;
      if (held) this.rowOf(held)?.children[1].focus();
      this.grid.resized(); // there is less room for the others
    } catch {
      // Another request took its place, or Enlace is away, which the next act says.
    }
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
