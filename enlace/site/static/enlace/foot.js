// The row of totals below a grid: asked for again whenever what they come to may be another.

import { Fragment } from "./fragment.js";

const AT_FIRST = 40; // ms: a grid that has just come is told soon that it is another, and asks once for both

export class Foot extends Fragment {
  constructor(grid, address) {
    super(grid, address, "totals", grid.root.querySelector("[data-foot]"));
    this.wanted = Boolean(grid.root.dataset.totals);
    this.soon(AT_FIRST);
  }

  get height() {
    return this.wanted ? this.box.offsetHeight : 0; // asked for at each move: it lays the page out
  }

  load() {
    this.box.setAttribute("aria-busy", "true");
    return super.load();
  }

  show(html, ok) {
    const before = this.height;
    if (ok) this.box.innerHTML = html;
    else this.box.textContent = enlaceWords(html);
    this.box.hidden = false;
    this.box.removeAttribute("aria-busy");
    if (this.height !== before) this.grid.resized();
  }
}
