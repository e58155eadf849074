// The blank row behind the last one: who types into it enters a new record. What is typed while the record is made
// goes on in its cell.

import { nowFor, quickOf } from "./quickvalues.js";
import { isDead, typedBy } from "./typing.js";

export class BlankRow {
  /** make(): has a new record made; resolves once the grid stands on it. */
  constructor(grid, make) {
    Object.assign(this, { grid, make });
    this.row = grid.root.querySelector("[data-blank]");
    if (!this.row) return;
    this.row.addEventListener("click", ({ target }) => {
      const at = [...this.row.children].indexOf(target.closest('[role="gridcell"]'));
      if (at > 0) this.focus(at);
    });
    this.row.addEventListener("dblclick", () => this.begin(""));
    this.row.addEventListener("keydown", (event) => this.key(event));
    this.row.addEventListener("paste", (event) => this.grid.chosen.pasted(event, this.grid.total));
  }

  /** Go into it, in a column. */
  focus(column = this.grid.column) {
    if (!this.row) return false;
    this.grid.column = column;
    this.row.children[column]?.focus();
    return true;
  }

  key(event) {
    if (this.input) return;
    const { grid } = this;
    const end = this.row.children.length - 1;
    const to = { ArrowLeft: grid.column - 1, ArrowRight: grid.column + 1, Home: 1, End: end }[event.key];
    const quick = quickOf(event);
    const typed = quick === "now" ? nowFor(grid.heading.dataset) : typedBy(event).trim();
    if (to !== undefined) this.focus(Math.min(Math.max(1, to), end));
    else if (event.key === "ArrowUp" || event.key === "PageUp") grid.moveTo(grid.total - 1, grid.column);
    else if (event.key === "Enter" || event.key === "F2") this.begin("");
    else if (quick === "above") this.begin("", true);
    else if (isDead(event))
      return this.begin(""); // the letter below the accent is typed there
    else if (typed) this.begin(typed);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  /** above: its cell gets what the record above has. */
  async begin(text, above = false) {
    if (this.input) return;
    const { grid } = this;
    const { column } = grid;
    const { locked } = grid.heading.dataset;
    if (locked) return enlaceSay(locked);
    const cell = this.row.children[column];
    const input = document.createElement("input");
    this.input = input;
    input.value = text;
    input.autocomplete = "off";
    input.setAttribute("aria-label", grid.headings[column - 1]?.textContent.trim() || "");
    const done = []; // [text, key] of cells that were left before the record is there
    input.addEventListener("keydown", (event) => {
      event.stopPropagation();
      if (!["Enter", "Tab", "Escape"].includes(event.key)) return;
      event.preventDefault();
      done.push([event.key === "Escape" ? "" : input.value, event.key]);
      input.value = "";
    });
    cell.classList.add("editing");
    cell.replaceChildren(input);
    input.focus();
    const made = await this.make();
    const last = input.value;
    this.input = null;
    cell.classList.remove("editing");
    cell.replaceChildren();
    if (!made) return;
    grid.column = column;
    grid.focus();
    for (const [typed, key] of done) this.goOn(typed, key);
    if (above && !last && !done.length) grid.chosen.above();
    else if (last || !done.length) grid.startEdit(last);
  }

  /** What was typed, in the cell that it was meant for. */
  goOn(typed, key) {
    const { grid } = this;
    if (typed) {
      grid.startEdit(typed);
      grid.editing?.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true }));
    } else if (key === "Tab") grid.moveTo(grid.current.position, grid.column + 1);
  }
}
