// The row of totals below a grid: asked for once its rows stand, and again whenever what they come to may be another.

const PAUSE = 250; // ms: several edits, or a move on, are counted once

export class Foot {
  /** address(path): where the grid's records are. which: what tells the grid from the first one of the same records. */
  constructor(grid, address) {
    Object.assign(this, { grid, address });
    this.row = grid.root.querySelector("[data-foot]");
    this.wanted = Boolean(grid.root.dataset.totals);
    if (this.wanted) this.load();
  }

  get height() {
    return this.wanted ? this.row.offsetHeight : 0; // asked for at each move: it lays the page out
  }

  soon() {
    clearTimeout(this.timer);
    if (this.wanted) this.timer = setTimeout(() => this.load(), PAUSE);
  }

  async load() {
    this.asking?.abort();
    this.asking = new AbortController();
    this.row.setAttribute("aria-busy", "true");
    try {
      await this.grid.edits.idle();
      const path = `totals${this.grid.which ? `?grid=${encodeURIComponent(this.grid.which)}` : ""}`;
      const response = await fetch(this.address(path), {
        headers: { "HX-Request": "true" },
        signal: this.asking.signal,
      });
      const html = await response.text();
      if (!this.row.isConnected) return;
      const before = this.height;
      if (response.ok) this.row.innerHTML = html;
      else this.row.textContent = enlaceWords(html);
      this.row.hidden = false;
      this.row.removeAttribute("aria-busy");
      if (this.height !== before) this.grid.resized();
    } catch {
      // Another request took its place, or Enlace is away, which the next act says.
    }
  }
}
