// A grid of records; several may show the same ones, each with columns of its own.

import { BlankRow } from "../blankrow.js";
import { CellEditor } from "../celleditor.js";
import { Foot } from "../foot.js";
import { Grid } from "../grid.js";
import { KeptRows } from "../keptrows.js";
import { ASKS } from "../patch.js";
import { reframe } from "../reframe.js";
import { PAUSE, wayTo } from "../source.js";
import { Control } from "./control.js";

class GridControl extends Control {
  begin() {
    if (this.parentElement.closest("enlace-grid")) return; // a second view: what is pressed in it the first one hears
    this.on("click", ".grid-head a[href], [data-filter] a[href]", (link, event) => {
      event.preventDefault();
      const also = (event.shiftKey || event.ctrlKey || event.metaKey) && link.dataset.also;
      this.tell("arrange", { asked: new URLSearchParams(also || link.getAttribute("href").slice(1)) });
    });
    this.on("click", "[data-fold-all]", ({ dataset }) => this.tell("fold", { all: 1, open: dataset.foldAll }));
    this.on("submit", "[data-filter]", (form, event) => {
      event.preventDefault();
      const asked = new URLSearchParams([...new FormData(form)].filter(([, said]) => said.trim()));
      this.tell("arrange", { asked, back: document.activeElement.id });
    });
  }

  /** Make its grid, for what is in it now. source: whose records it shows. page: what all sources share. before: its grid
   *  until now. */
  show(source, page, before = null) {
    const root = this.querySelector("[data-grid]");
    if (!root) return null;
    const which = root.dataset.key;
    const grid = new Grid(root, source.url, {
      before,
      view: source.view,
      which,
      edits: page.edits,
      hold: (done, event) => page.hold(done, event),
      moved: (id, at) =>
        id
          ? source.move(wayTo(id, at), PAUSE, Number(at))
          : source.move(`at?${at}`, PAUSE, at.startsWith("position=") ? Number(at.slice(9)) : null),
      ranged: (range) => source.cellsChosen(range),
      fold: (key, open) => source.fold({ key, open }),
      block: (how, from, lines) => source.block(how, from, lines),
      edit: (row, head, cell, text) =>
        source.editable ? grid.cells.open(row, head, cell, text) : enlaceSay("These records are read only."),
    });
    grid.cells = new CellEditor(source, grid, page.choices);
    grid.foot = new Foot(grid, (path) => source.address(path));
    if (grid.foot.height) grid.resized(); // what is to stand there has its height already
    grid.kept = new KeptRows(
      grid,
      (path) => source.address(path),
      (id) => source.move(`record?record=${encodeURIComponent(id)}`),
    );
    grid.blank = new BlankRow(grid, () => source.makeIn(grid));
    const line = Number(root.dataset.line ?? source.position);
    grid.current = { id: source.record || null, position: line };
    grid.setTop(Math.max(0, line - 3));
    grid.mark();
    return grid;
  }

  /** Put other headings and rows into it; where somebody was in it, they still are. */
  put(html, source, page) {
    const before = source.gridOf(this);
    const { column = 1, headings = [] } = before || {};
    const held = this.contains(document.activeElement);
    const made = document.createElement("template");
    made.innerHTML = html;
    if (before && reframe(this, made.content)) {
      before.reframed();
      if (held && !this.contains(document.activeElement)) before.focus();
      return before;
    }
    const heading = headings.indexOf(document.activeElement);
    const entering = before?.blank?.row?.contains(document.activeElement); // whose keys are for no record that is there
    this.replaceChildren(made.content);
    for (const asking of this.querySelectorAll(ASKS)) htmx.process(asking); // all of it is looked through otherwise
    const grid = this.show(source, page, before);
    grid.column = column;
    grid.mark();
    if (heading >= 0) grid.headings[heading]?.focus();
    else if (held && !(entering && grid.blank.focus())) grid.focus();
    return grid;
  }
}
customElements.define("enlace-grid", GridControl);
