// The grid: a window of rows in a page of any length, moved through by keyboard, mouse and scroll bar.
//
// Browsers cap an element's height (at some 17 to 33 million pixels), so from MOST_HEIGHT on the scroll bar
// stands for a share of the rows, while wheel and keys still move by rows.

import { typedInto } from "./celleditor.js";
import { ChosenCells } from "./chosencells.js";
import { merge } from "./merging.js";
import { nowFor, quickOf } from "./quickvalues.js";
import { pin } from "./pins.js";
import { setWidths } from "./widths.js";
import { isDead, typedBy } from "./typing.js";

const MOST_HEIGHT = 6_000_000;
const PAUSE = 60;
const REGROUP = 250; // ms: several edits are counted into the groups at once
export const LINE = 19; // pixels of one more line in a row

/** Resolves with whether something is so, at the latest after some milliseconds. */
async function comesTrue(is, most) {
  for (let waited = 0; waited < most && !is(); waited += 25) await new Promise((later) => setTimeout(later, 25));
  return is();
}

export class Grid {
  /** which: what tells it from the first grid of the same records. moved(id, position): the person moved to a row. edit(row, number, cell, text): wants to edit a cell.
   *  hold(done, event): has a key wait, and those behind it.
   *  view: its order and filters. edits: what is typed; rows are read after it has arrived, and again if more of it went out meanwhile.
   *  before: the one that stood in its place, which is as high until the page was laid out. */
  constructor(root, url, { moved, edit, edits, view, block, fold, ranged, hold, which = "", before = null }) {
    Object.assign(this, { root, url, moved, edit, edits, view, fold, hold, which });
    this.grouped = "grouped" in root.dataset; // among its lines are those of groups; a position here is that of a line
    this.scroller = root.querySelector("[data-scroller]");
    this.head = root.querySelector(".grid-head");
    this.runway = root.querySelector("[data-runway]");
    this.rows = root.querySelector("[data-rows]");
    this.ruled = root.querySelector("[data-blank-lines]");
    this.blanks = root.querySelector("[data-blank]") ? 1 : 0;
    this.asked = Number(root.dataset.size);
    this.first = Number(root.dataset.start);
    this.total = root.dataset.total ? Number(root.dataset.total) : this.first + this.rows.children.length;
    this.counted = Boolean(root.dataset.total);
    this.top = this.first;
    this.column = 1;
    this.awaited = null;
    this.marked = { row: null, cell: null };
    this.current = { id: null, position: 0 };
    this.widths(root.dataset.widths);
    const like = before?.root.className === root.className ? before : null;
    this.set = like ? 0 : this.scroller.scrollTop; // where a new view stands, or was scrolled to before this was at work
    this.step = like?.step ?? (parseFloat(getComputedStyle(root).getPropertyValue("--row")) || 30);
    this.rowHeight = this.step;
    const { lines } = root.dataset;
    if (lines) {
      this.rowHeight += (lines - 1) * LINE;
      root.style.setProperty("--row", `${this.rowHeight}px`);
    }
    if (this.set && !this.first) this.top = this.set / this.step;
    this.chosen = new ChosenCells(this, { block, ranged });
    this.listen();
    this.room = like?.room;
    this.measure(this.room !== undefined);
  }

  /** The widths of the columns, as `setWidths` takes them; whether they are others than before. */
  widths(text) {
    if (text === this.wide) return false;
    this.wide = text;
    this.pinned = pin(this.root, setWidths(this.scroller, text));
    return true;
  }

  /** What stands above its rows is that of another order; they come next. */
  reframed() {
    this.chosen.alone();
    this.awaited = null;
    this.asked = Number(this.root.dataset.size);
  }

  listen() {
    this.scroller.addEventListener("scroll", () => this.scrolled());
    const aside = () => this.scroller.classList.toggle("aside", this.scroller.scrollLeft > 0);
    this.scroller.addEventListener("scroll", aside, { passive: true });
    this.scroller.addEventListener("wheel", (event) => this.wheel(event), { passive: false });
    this.rows.addEventListener("click", (event) => this.clicked(event));
    this.rows.addEventListener("dblclick", () => this.startEdit());
    this.root.addEventListener("keydown", (event) => this.key(event));
    this.head.addEventListener("keydown", (event) => this.headKey(event));
    this.ruled?.addEventListener("click", () => this.blank?.focus(1));
    new ResizeObserver(() => this.resized()).observe(this.scroller);
  }

  // -- geometry ------------------------------------------------------------------------------------------

  get visible() {
    return Math.max(1, Math.floor(this.room / this.rowHeight));
  }

  /** How many rows are asked for at a time: as many as the server likes to give, or more on a high screen. */
  get size() {
    return Math.max(this.asked, 2 * this.visible + 10);
  }

  get height() {
    return this.total * this.rowHeight;
  }

  get short() {
    return this.height > MOST_HEIGHT;
  }

  get span() {
    // How far the scroll bar goes, in pixels.
    return Math.max(0, Math.min(this.height, MOST_HEIGHT) - this.room);
  }

  get mostTop() {
    return Math.max(0, this.total - this.room / this.rowHeight);
  }

  /** known: nothing but its rows is another, so that its height and width need not be asked for: that lays the page out. */
  measure(known = false) {
    if (!known) this.look();
    this.shownRows = this.visible;
    this.lastTop = this.mostTop;
    this.runway.style.height = `${Math.min(this.height, MOST_HEIGHT)}px`;
    if (this.ruled)
      this.ruled.style.height = `${Math.max(0, this.room - this.height - this.blanks * this.rowHeight)}px`;
    this.root.setAttribute("aria-rowcount", this.counted ? this.total + 1 : -1);
    this.root.querySelector("[data-empty-note]").hidden = !(this.counted && this.total === 0);
    this.setTop(this.top);
  }

  /** The view got another height, as when the save strip appears: what was current in it, or the end, stays in it. */
  resized() {
    const { position } = this.current;
    const inView = position !== null && position >= this.top - 1 && position <= this.top + this.shownRows;
    const atEnd = this.counted && this.top > 0 && this.top > this.lastTop - 0.5;
    this.measure();
    if (inView) this.show(position);
    else if (atEnd) this.setTop(this.mostTop);
  }

  setTop(top) {
    this.top = Math.min(Math.max(0, top), this.mostTop);
    const wanted = this.short ? (this.top / this.mostTop) * this.span : this.top * this.rowHeight;
    // A view that stands at its beginning and stays there need not be asked where it stands.
    if (wanted !== 0 || this.set !== 0) {
      this.scroller.scrollTop = wanted;
      this.set = this.scroller.scrollTop;
    }
    this.place();
    this.ensure();
  }

  place() {
    this.rows.style.transform = `translateY(${this.set + (this.first - this.top) * this.rowHeight}px)`;
  }

  /** How high the view of the rows is: not asked for in a move, since that lays the page out at once. */
  look() {
    const foot = this.foot?.height || 0;
    this.room = this.scroller.clientHeight - this.head.offsetHeight - foot;
    if (foot) this.scroller.style.scrollPaddingBottom = `${foot}px`; // what takes the focus is not hidden beneath it
  }

  scrolled() {
    this.look(); // a view of another height may have moved the scroll bar
    const before = this.set;
    this.set = this.scroller.scrollTop;
    if (Math.abs(this.set - before) >= 1) {
      const beyond = Math.max(0, this.set - this.span); // into what stands behind the last row
      this.top = this.short
        ? ((this.set - beyond) / this.span) * this.mostTop + beyond / this.rowHeight
        : this.set / this.rowHeight;
    }
    this.place();
    this.ensure();
  }

  wheel(event) {
    if (!this.short || event.ctrlKey || Math.abs(event.deltaY) <= Math.abs(event.deltaX)) return;
    event.preventDefault();
    const unit = [1, this.rowHeight, this.visible * this.rowHeight][event.deltaMode];
    this.setTop(this.top + (event.deltaY * unit) / this.rowHeight);
  }

  show(position) {
    this.awaited = position >= this.total ? position : null; // a new row that the total does not count yet
    const far = position < this.top - this.visible || position > this.top + 2 * this.visible;
    if (far) this.setTop(position - this.visible / 3);
    else if (position < this.top) this.setTop(position);
    else if (position > this.top + this.visible - 1) this.setTop(position - this.visible + 1);
  }

  /** What stands above and below its rows may be another now. */
  renewed() {
    this.foot?.soon();
    this.kept?.soon();
    // What groups tell has the draft counted in.
    clearTimeout(this.regroup);
    if (this.grouped) this.regroup = setTimeout(() => this.load(this.first), REGROUP);
  }

  // -- rows ----------------------------------------------------------------------------------------------

  ensure() {
    const from = Math.max(0, Math.floor(this.top) - 3);
    const to = Math.min(this.total, Math.ceil(this.top + this.visible) + 3);
    const end = this.first + this.rows.children.length;
    if (from >= this.first && to <= end) return;
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.load(), PAUSE);
  }

  /** Where the rows begin that are asked for: at an even one, so that stripes stay where they are. Near the end as many as
   *  elsewhere, so that of a table which fits all rows are there. */
  get windowStart() {
    const wanted = Math.floor(this.top - (this.size - this.visible) / 2);
    const start = Math.max(0, Math.min(wanted, this.total - this.size + 2));
    return start - (start % 2);
  }

  /** What its requests say beside the view. */
  get asks() {
    return this.which ? `&grid=${encodeURIComponent(this.which)}` : "";
  }

  async load(start = this.windowStart) {
    clearTimeout(this.again); // what could not be had is asked for where somebody looks by now
    this.again = null;
    this.fetching?.abort();
    this.fetching = new AbortController();
    const { signal } = this.fetching;
    this.root.setAttribute("aria-busy", "true");
    let html, count, lines, line;
    const standing = this.current;
    const { id } = standing;
    const group = this.grouped && this.row(this.current.position)?.dataset.group;
    try {
      do {
        await this.edits.idle();
        ({ count } = this.edits);
        const on = this.grouped && id ? `&record=${encodeURIComponent(id)}` : "";
        const address = `${this.url}rows?start=${start}&size=${this.size}&${this.view}${this.asks}${on}`;
        const response = await fetch(address, { signal, headers: { "HX-Request": "true" } });
        html = await response.text();
        lines = response.headers.get("Enlace-Lines");
        line = on && response.headers.get("Enlace-Line");
        if (!response.ok) {
          if (response.status === 503) this.again = setTimeout(() => this.load(start), 2000); // busy or away: the rows are still old ones
          return enlaceSay(enlaceWords(html), true);
        }
      } while (count !== this.edits.count);
    } catch (error) {
      if (error.name === "AbortError") return;
      enlaceSay("The rows can't be read just now. They will be as soon as Enlace is back.", true);
      this.again = setTimeout(() => this.load(start), 2000);
      return;
    }
    const held = this.rows.contains(document.activeElement);
    if (this.editing) {
      this.late = true; // never under the hands of somebody who types
      return;
    }
    this.rows.innerHTML = html;
    this.rows.classList.remove("few");
    this.first = start;
    this.root.removeAttribute("aria-busy");
    // A draft may bring lines above the one that somebody stands on, or take a new record to another group. Who has gone on
    // meanwhile stands somewhere else.
    if (this.current === standing && group) standing.position = this.lineOf(group, "group") ?? standing.position;
    else if (this.current === standing && line) standing.position = Number(line);
    if (lines && Number(lines) !== this.total) {
      this.total = Number(lines);
      this.measure();
    }
    if (!this.counted && start + this.rows.children.length > this.total) this.total = start + this.rows.children.length;
    this.place();
    this.mark();
    // Who has gone elsewhere while the rows were on their way, such as into the blank one, stays there.
    const { wanting } = this;
    this.wanting = null;
    if (held || (wanting && [wanting, document.body].includes(document.activeElement))) this.focus();
    this.ensure();
  }

  /** The rows of another master came. */
  stand(rows, told) {
    const { start, total, widths } = told;
    this.fetching?.abort();
    clearTimeout(this.timer); // what a grid without rows wanted to ask for is here
    const wider = Boolean(widths) && this.widths(widths);
    const known = this.room !== undefined; // a hidden one is told when it is shown
    // Several grids come in one answer, and each that asked for its size would lay the page out once more.
    if (wider && known) requestAnimationFrame(() => this.measure());
    if (this.editing) this.editing.blur();
    this.rows.innerHTML = rows;
    this.rows.classList.toggle("few", this.rows.children.length <= this.size / 2);
    this.first = start;
    this.counted = total !== null && total !== undefined;
    this.total = this.counted ? total : start + this.rows.children.length;
    // Where the answer says that the source stands; of another master mostly at the first record.
    const id = told.record || (this.rows.firstElementChild?.dataset.id ?? null);
    const line = told.line ?? told.position ?? start;
    this.current = { id, position: this.total ? line : null };
    this.top = Math.max(start, line - 3);
    this.measure(known);
    this.mark();
  }

  setTotal(total) {
    const other = !this.counted || total !== this.total; // told with each move, mostly the same
    this.total = total;
    this.counted = true;
    if (other) this.measure();
    if (this.awaited !== null && this.awaited < total) this.show(this.awaited);
    if (other) this.mark();
  }

  /** The line of a record, or of a group by its key (`of` "group"), where the page shows it. */
  lineOf(id, of = "id") {
    const at = [...this.rows.children].findIndex((row) => row.dataset[of] === id);
    return at < 0 ? null : this.first + at;
  }

  /** The place of a line's record among the records; of what the page does not show, the line itself. */
  placeOf(line) {
    return Number(this.row(line)?.dataset.at ?? line);
  }

  /** Resolves with whether the grid stands on a record and shows its row: made a moment ago, its rows are on their way. */
  standsOn(id) {
    return comesTrue(() => this.current.id === id && this.row(this.current.position)?.dataset.id === id, 5000);
  }

  /** Resolves with whether the page has the row that one stands on. */
  arrives() {
    return comesTrue(() => this.row(this.current.position) !== null, 15_000);
  }

  /** Resolves once no rows are on their way, or they can't be had. */
  rests() {
    return comesTrue(() => this.root.ariaBusy !== "true" || this.again !== null, 15_000);
  }

  row(position) {
    return this.rows.children[position - this.first] || null;
  }

  // -- the current record ----------------------------------------------------------------------------------

  /** Another part of the page moved to a record. active: the grid that somebody is in; of two views of one grid the other
   *  one stays where it is. */
  setCurrent(id, position, line = position, active = this) {
    if (this.row(this.current.position)?.dataset.group !== undefined && id === this.passed) return;
    if (this.grouped && line === position) line = this.lineOf(id); // the page alone knows where it stands
    this.current = { id, position: line };
    const apart = "apart" in this.root.dataset || this.root.parentElement.classList.contains("split");
    if (line !== null && (active === this || !apart)) this.show(line);
    this.mark();
  }

  mark() {
    // What was marked before is known: to look for it among a thousand cells at each event of each move is not for nothing.
    const { row: was, cell: held } = this.marked;
    const row = this.current.position === null ? null : this.row(this.current.position);
    if (was !== row) was?.removeAttribute("aria-selected");
    this.chosen.mark();
    row?.setAttribute("aria-selected", "true");
    if ("merged" in this.root.dataset) merge([...this.head.querySelectorAll("[data-number]")], this.rows.children);
    const cell = this.cellOf(row || this.rows.firstElementChild);
    if (held && held !== cell) held.tabIndex = -1;
    if (cell && cell.tabIndex !== 0) cell.tabIndex = 0;
    this.marked = { row, cell };
  }

  /** The cell of a row in the current column; a group has one cell for all of them. */
  cellOf(row) {
    return row?.children[row.dataset.group === undefined ? this.column : 1];
  }

  moveTo(position, column) {
    position = Math.min(Math.max(0, position), this.total - 1);
    this.column = Math.min(Math.max(1, column), this.columns);
    const far = position !== this.current.position;
    this.passed = this.current.id ?? this.passed; // from a record on to a group: its answer may still be on the way
    this.current = { id: this.row(position)?.dataset.id ?? null, position };
    // Asked for first: the server works while the page is laid out anew.
    if (far) this.tellMove(this.row(position), position);
    this.show(position);
    this.mark();
    this.focus();
  }

  tellMove(row, position) {
    if (row?.dataset.group !== undefined) return; // a group is no record to move to
    const { id } = this.current;
    if (!this.grouped) this.moved(id, id ? position : `position=${position}`);
    else this.moved(id, row ? row.dataset.at : `line=${position}`);
  }

  /** What was typed beside the grid stands in its cell before the server has said how it is written. */
  echo({ record, field, value }) {
    const row = this.row(this.current.position);
    const column = [...this.head.querySelectorAll("[data-number]")].findIndex((head) => head.dataset.name === field);
    if (row?.dataset.id === record && column >= 0) typedInto(row.children[column + 1], value);
  }

  /** The record that stands so many lines on from the current one, and its place, as `moved` is told of them; null where
   *  it is not known, or a group stands there. */
  beside(by) {
    const line = this.current.position + by;
    const { id, at = line } = this.row(line)?.dataset ?? {};
    return id ? { id, at } : null;
  }

  /** Open or close a group; open: else the other way than it is. */
  turn(row, open) {
    const fold = row.querySelector("[data-fold]");
    const now = fold.getAttribute("aria-expanded") === "true";
    if (open !== now) this.fold(row.dataset.group, (open ?? !now) ? 1 : "");
  }

  focus() {
    const cell = this.cellOf(this.row(this.current.position));
    this.wanting = cell ? null : document.activeElement; // where somebody was that waits for its row
    if (!cell && !this.total) this.blank?.focus();
    if (!cell) return;
    cell.tabIndex = 0;
    cell.focus({ preventScroll: true });
    if (cell.matches(".group-cell")) return; // it is as wide as all columns
    if (getComputedStyle(cell).position === "sticky") return; // it is always in sight
    const left = cell.offsetLeft - this.pinned.start;
    if (left < this.scroller.scrollLeft) this.scroller.scrollLeft = left;
    const right = cell.offsetLeft + cell.offsetWidth - this.scroller.clientWidth + this.pinned.end;
    if (right > this.scroller.scrollLeft) this.scroller.scrollLeft = right;
  }

  clicked(event) {
    const cell = event.target.closest('[role="gridcell"]');
    if (!cell || event.target.closest("input, select")) return;
    const row = cell.parentElement;
    this.chosen.reach(event.shiftKey);
    const group = row.dataset.group !== undefined;
    const column = group ? this.column : Math.max(1, [...row.children].indexOf(cell));
    this.moveTo(this.first + [...this.rows.children].indexOf(row), column);
    if (group) this.turn(row);
  }

  // Keys after the grid pattern of the WAI-ARIA Authoring Practices.
  key(event) {
    const cell = event.target.closest?.('[role="gridcell"]');
    if (!cell || this.editing || this.cells?.waits(event)) return;
    const { position } = this.current;
    const end = this.columns;
    const page = Math.max(1, this.visible - 1);
    const ctrl = event.ctrlKey || event.metaKey;
    const shift = event.shiftKey;
    const quick = quickOf(event);
    const group = this.row(position)?.dataset.group === undefined ? null : this.row(position);
    const folds = { ArrowRight: true, ArrowLeft: false, Enter: undefined, " ": undefined };
    if (group && event.key in folds && !ctrl && !event.altKey) {
      event.preventDefault();
      return this.turn(group, folds[event.key]);
    }
    const moves = {
      ArrowDown: [ctrl ? this.total - 1 : position + 1, this.column],
      ArrowUp: [ctrl ? 0 : position - 1, this.column],
      ArrowRight: [position, ctrl ? end : this.column + 1],
      ArrowLeft: [position, ctrl ? 1 : this.column - 1],
      PageDown: [position + page, this.column],
      PageUp: [position - page, this.column],
      Home: [ctrl ? 0 : position, 1],
      End: [ctrl ? this.total - 1 : position, end],
    };
    if (event.key === "ArrowUp" && position === 0 && !ctrl && !event.altKey) {
      event.preventDefault();
      if (!this.kept?.enter(this.column)) this.headings[this.column - 1]?.focus();
    } else if (event.key === "ArrowDown" && position === this.total - 1 && !shift && !ctrl && this.blank?.focus()) {
      event.preventDefault();
    } else if (moves[event.key] && !event.altKey) {
      event.preventDefault();
      this.chosen.reach(shift);
      this.moveTo(...moves[event.key]);
    } else if (quick) {
      event.preventDefault();
      const now = quick === "now" && nowFor(this.heading.dataset);
      if (now) this.startEdit(now);
      else if (quick === "above") this.chosen.above();
    } else if (this.chosen.key(event)) {
      event.preventDefault();
    } else if (event.key === "F2" || event.key === "Enter") {
      event.preventDefault();
      this.startEdit();
    } else if (event.key === "Delete") {
      event.preventDefault();
      this.clear();
    } else if (isDead(event)) {
      this.startEdit(""); // the accent, and the letter below it, go where the focus is by then
    } else if (typedBy(event).trim()) {
      event.preventDefault();
      this.startEdit(typedBy(event));
    }
  }

  /** How many columns there are. */
  get columns() {
    return this.head.querySelectorAll("[data-number]").length;
  }

  /** The heading of the column that one stands in. */
  get heading() {
    return this.head.querySelectorAll("[data-number]")[this.column - 1];
  }

  /** What takes the focus of each heading. */
  get headings() {
    return [...this.head.querySelectorAll("[data-number]")].map((head) => head.querySelector("a, [tabindex]"));
  }

  /** Keys in the headings: arrows go between them and back to the rows; Enter sorts, with Shift as one more term. */
  headKey(event) {
    const at = this.headings.indexOf(event.target);
    if (at < 0 || event.altKey) return;
    const to = { ArrowLeft: at - 1, ArrowRight: at + 1, Home: 0, End: this.headings.length - 1 }[event.key];
    if (to !== undefined) {
      event.preventDefault();
      this.column = Math.min(Math.max(to, 0), this.headings.length - 1) + 1;
      this.headings[this.column - 1].focus();
    } else if (event.key === "ArrowDown" || event.key === "Escape") {
      event.preventDefault();
      this.focus();
    } else if (event.key === " ") {
      event.preventDefault();
      event.target.click();
    }
  }

  /** Empty the cell that one stands on. */
  clear() {
    this.startEdit(null);
  }

  /** Edit the cell that one stands on; in a row that is on its way, once it is there. */
  startEdit(text) {
    const row = this.row(this.current.position);
    if (!row && this.total) {
      const late = () => enlaceSay("The row is not there yet. Try again in a moment.", true);
      return this.hold?.(this.arrives().then((there) => (there ? this.startEdit(text) : late())));
    }
    if (row?.dataset.group !== undefined) return;
    if (row && this.heading) this.edit(row, this.heading, row.children[this.column], text);
  }
}
