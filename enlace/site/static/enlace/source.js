// One source of records on the page: its current record, its grids, its editors, wherever they stand on the sheet.

import { comes, isComing } from "./coming.js";
import { apply, complain } from "./edits.js";
import { posted, reached } from "./posting.js";
import { heard, isAway } from "./reach.js";

export const LAST = 2 ** 53; // further than any record: the server goes to the last one
export const PAUSE = 90; // ms that a press waits for the next one, while an answer is on its way
export const FRAGMENT = { headers: { "HX-Request": "true" } };
/** The way to a record at a place, as moves ask for it. */
export const wayTo = (id, at) => `record?record=${encodeURIComponent(id)}&position=${at}`;
const NOT_PUT_IN = "Enlace can't be reached just now. Nothing was put in: do it again in a moment.";
const fresh = () =>
  Array.from(crypto.getRandomValues(new Uint8Array(16)), (byte) => byte.toString(16).padStart(2, "0")).join("");

export class Source {
  /** holder: the element that says what it is. page: what it shares with others: edits, choices, places(). */
  constructor(holder, page) {
    const { source, url, view, part, record, position, master, under, editable } = holder.dataset;
    Object.assign(this, { p: source, url, view, part, record, master, under, page });
    this.position = Number(position || 0);
    this.editable = Boolean(editable);
    this.computed = "computed" in holder.dataset;
    this.headless = "blank" in holder.dataset; // its headings are not those that the person has
    this.empty = this.headless; // it shows nothing
    this.unread = "unread" in holder.dataset; // nobody has asked for it: it lies on a page of tabs that is closed
    this.veil();
    this.moving = Promise.resolve();
    this.moves = 0; // under way: until the last one arrives, the current record is not settled
    this.arriving = false; // the answer to a move is being put in
    this.arranging = null; // the last move that brings all rows anew, while it is under way
    this.waiting = null;
    this.asking = null;
    this.toward = null; // the place that the last move leads to, while it is under way
    this.renewed = null; // the last control that is drawn anew, once it is
    this.missed = null; // the way to a record that a grid stands on and nobody could be asked for
    this.shown = new Map(); // its grids, by the controls that they are in
    this.grid = null; // the one that somebody was in last, else the first
  }

  get grids() {
    return [...this.shown.values()];
  }

  gridOf(control) {
    return this.shown.get(control);
  }

  get cells() {
    return this.grid?.cells;
  }

  /** Its controls on the page. */
  get controls() {
    return [...document.querySelectorAll(`.control[data-of="of${this.p}"]`)];
  }

  /** Nobody can see it, nor what belongs to it: all of it lies on pages of tabs that are closed. */
  get closed() {
    const seen = ({ controls }) => controls.some((control) => !control.closest("[role=tabpanel][hidden]"));
    return Boolean(this.p) && ![this, ...this.page.below(this)].some(seen);
  }

  /** What an answer has to know of it, beside where it stands. */
  get state() {
    const { closed, headless, empty } = this;
    const all = Object.entries({ closed, headless, nothing: empty });
    return Object.fromEntries(all.filter(([, is]) => is).map(([name]) => [name, "1"]));
  }

  /** What nobody has asked for yet is not shown as if there were nothing. */
  veil() {
    for (const control of this.controls) {
      control.classList.toggle("unread", this.unread);
      control.ariaBusy = this.unread ? "true" : null;
    }
  }

  /** Ask for what was left out while nobody could see it. */
  read() {
    return this.move(`arrange?record=${encodeURIComponent(this.record || "")}`);
  }

  /** Show its records in a control for grids. html: what to put into it first. */
  showIn(control, html = null) {
    const first = !this.grid || this.grid === this.gridOf(control);
    const grid = html === null ? control.show(this, this.page) : control.put(html, this, this.page);
    if (!grid) return;
    if (html !== null) this.headless = false;
    if (this.gridOf(control) === grid) return;
    this.shown.set(control, grid);
    for (const former of this.shown.keys()) if (!former.isConnected) this.shown.delete(former); // a view that is no more
    if (first || !this.grids.includes(this.grid)) this.grid = grid;
    for (const second of control.querySelectorAll("enlace-grid")) this.showIn(second);
    for (const type of ["focusin", "pointerdown"])
      grid.root.addEventListener(type, () => {
        this.grid = grid;
      });
  }

  /** The record that somebody sees themselves on: in a grid it is the new one while its editors are still on their way. */
  get standing() {
    return (this.moves && this.grid?.current.id) || this.record;
  }

  /** An element of this source by its name. */
  el(name) {
    return document.getElementById(this.p + name);
  }

  get panel() {
    return this.el("panel");
  }

  owns(element) {
    return element?.closest?.("[data-of]")?.dataset.of === `of${this.p}`;
  }

  /** Whether it is an editor of the current record, beside the grid. */
  isEditor(element) {
    const elsewhere = "[data-grid], [data-boxed-form]"; // in a cell, or about many records
    return Boolean(element?.dataset?.field) && this.owns(element) && !element.closest(elsewhere);
  }

  /** The editor of a field beside the grid, once it shows the record. */
  async editorOf(id, number) {
    await this.moving;
    return this.panel?.dataset.record === id ? this.el(`e-${number}`) : null;
  }

  /** All editors of a field on the sheet; mostly there is one. */
  editors(number) {
    return [...document.querySelectorAll(`[data-of="of${this.p}"] [data-editor="${number}"]`)];
  }

  // -- moving ----------------------------------------------------------------------------------------------

  /** path: what is asked for. pause: how long it waits for another move, in ms, where one is under way. toward: its place. */
  move(path, pause = 0, toward = null) {
    const arranges = path.startsWith("arrange");
    // Who goes on before the rows of another order are there must not take that order away: its answer brings the rows.
    if (this.arranging && !arranges) return this.arranging.then(() => this.move(path, pause, toward));
    clearTimeout(this.waiting?.timer);
    this.coming?.abort(); // somebody goes elsewhere
    this.toward = toward;
    // One press goes out at once; of several that come while one is under way, only where they end.
    const held = this.moves > 0;
    const here = !held && !this.page.edits.busy && this.page.beforehand.has(this.address(path));
    this.asking?.abort(); // an answer on its way would take the person back to the record before
    const done = this.waiting?.done;
    this.moves += 1;
    this.moving = new Promise((resolve) => {
      this.waiting = { done: resolve };
      const ask = () => this.ask(path).finally(resolve);
      if (held && pause) this.waiting.timer = setTimeout(ask, pause);
      else ask();
    }).finally(() => {
      this.moves -= 1;
      if (this.moves) return;
      this.toward = null;
      this.still(this.missed !== null);
    });
    // Its editors are of the record before: nobody should type into them now, unless those of the next one are there at once.
    if (!here) this.still(true);
    done?.();
    if (arranges) {
      const { moving } = this;
      this.arranging = moving;
      moving.then(() => {
        if (this.arranging === moving) this.arranging = null;
      });
    }
    return this.moving;
  }

  /** Hold its editors, and those of what belongs to it, while another record is on its way. */
  still(on) {
    for (const source of [this, ...this.page.below(this)]) {
      if (source.panel) source.panel.inert = on;
      for (const lone of document.querySelectorAll(`[data-of="of${source.p}"] > .lone`)) lone.inert = on;
    }
  }

  async ask(path) {
    const mine = new AbortController();
    this.asking = mine;
    try {
      while (!(await this.answered(path, mine.signal)));
    } catch (error) {
      if (error.name === "AbortError") return;
      enlaceSay("Enlace can't be reached just now. Try again in a moment.", true);
      this.miss(path);
    }
  }

  /** A record can't be had now. A grid that stands on it stays there, and its cells can be typed into; the editors beside it,
   *  which are of the record before, can't be until the record comes. */
  miss(path) {
    this.missed = this.grids.some((grid) => grid.current.id && grid.current.id !== this.record) ? path : null;
  }

  /** The database answers again. */
  reached() {
    if (this.missed) this.move(this.missed);
    else if (this.unread && !this.closed) this.read();
  }

  /** Go to a record; false: it was read before what was typed meanwhile. A newer move ends this one by its signal. */
  async answered(path, signal) {
    const { edits } = this.page;
    if (edits.busy) {
      await edits.idle();
      signal.throwIfAborted(); // the person is on the way to another record by now
    }
    if (this.page.each) await this.leave();
    const { count } = edits;
    const by = this.toward === null ? 0 : this.toward - this.position;
    const { response, html } = await this.fetched(this.address(path), signal);
    signal.throwIfAborted();
    if (edits.count !== count) return false;
    this.missed = null;
    if (!response.ok) {
      if (isAway(response)) this.miss(path);
      if (isComing(response)) this.wait(path, response);
      else await complain(response);
    } else {
      this.arriving = true;
      apply(html, response);
      this.arriving = false;
      this.readOn(path, by);
    }
    return true;
  }

  /** An answer and its text: one that was asked for beforehand, else what is asked for now. */
  async fetched(address, signal) {
    const ask = async () => ({ response: await fetch(address, { ...FRAGMENT, signal }) });
    const before = this.page.beforehand.take(address)?.then((known) => known ?? ask());
    const answer = before ?? ask();
    const response = await heard(
      answer.then((known) => known.response),
      { told: "The database has not answered yet. The record comes as soon as it does.", proves: true },
    );
    return { response, html: (await answer).html ?? (response.ok && (await response.text())) };
  }

  /** Somebody went to the next record, or to the one before: where they would go on to is read meanwhile. */
  readOn(path, by) {
    const rests = this.moves === 1; // who holds a key down is elsewhere by now
    const on = Math.abs(by) === 1 && rests && !this.page.each && this.wayOn(path, by);
    if (on) this.page.beforehand.ask(this.address(on));
  }

  /** The way to the record that stands so many on from the one that a way led to; null where nobody knows it. */
  wayOn(path, by) {
    if (path.startsWith("at?position=")) return this.position + by < 0 ? null : `at?position=${this.position + by}`;
    const { id, at } = this.grid?.beside(by) ?? {};
    return id ? wayTo(id, at) : null;
  }

  /** A place is being found: it is gone to once it is known, unless somebody goes elsewhere before. */
  async wait(path, response) {
    const mine = new AbortController();
    this.coming = mine;
    const again = () => fetch(this.address(path), { ...FRAGMENT, signal: mine.signal });
    if (await comes(response, again, mine)) this.move(path);
  }

  address(path) {
    const places = this.page.places(this);
    return `${this.url}${path}${path.includes("?") ? "&" : "?"}${this.view}${places ? `&places=${encodeURIComponent(places)}` : ""}`;
  }

  // Where each record is saved as one leaves it: the record that is left, and what hangs on it.
  async leave() {
    if (!this.page.each || this.p || !/^(edited|new|removed)$/.test(this.panel?.dataset.state || "")) return;
    const only = this.panel.dataset.record;
    const done = this.send("save", { only, record: only, position: this.position, token: fresh() });
    this.panel.dataset.state = "leaving";
    await done;
  }

  /** Have one control drawn anew. */
  async renew(id) {
    const asked = new URLSearchParams({ control: id, record: this.record ?? "", position: this.position ?? 0 });
    const response = await reached(fetch(this.address(`control?${asked}`), FRAGMENT));
    if (!response?.ok) return response && complain(response);
    const box = document.querySelector(`[data-control="${CSS.escape(id)}"]`);
    if (!box) return;
    const html = await response.text();
    if (box.postpones()) return;
    const held = box.contains(document.activeElement);
    box.innerHTML = html;
    box.drawn(held);
  }

  goTo(position, pause = 0) {
    return this.move(`at?position=${position}`, pause, Number(position));
  }

  /** So many records on, or back, from where the last press leads, though it may not have been answered yet. */
  step(by) {
    if (this.lost || this.toward === LAST) return this.moving.then(() => this.step(by));
    return this.goTo(Math.max((this.toward ?? this.position ?? 0) + by, 0), PAUSE);
  }

  /** Whether it is on the way to a record of which the page does not know the place. */
  get lost() {
    return this.moves > 0 && this.toward === null;
  }

  /** Another order or other filters, without leaving the page. What is pressed behind it is for the rows that come. */
  arrange(asked) {
    const done = this.arranged(asked);
    this.page.hold(done);
    return done;
  }

  async arranged(asked) {
    asked.set("on", "sheet");
    const arranged = new URLSearchParams(this.view).get("arranged");
    if (arranged) asked.set("arranged", arranged);
    this.wanted = asked;
    this.view = asked.toString();
    await this.page.settled();
    this.view = asked.toString(); // an answer on its way told of what was asked before
    // As many rows as are seen, and some more: others come as one scrolls to them.
    const seen = this.grid?.room ? 2 * this.grid.visible + 6 : 0;
    await this.move(`arrange${seen ? `?seen=${seen}` : ""}`);
    if (this.wanted !== asked) return; // something else is asked for by now
    this.page.address.keep(this.p ? { places: true } : { asked });
  }

  /** The page was told where this source stands now, with its rows, and those of further grids by what begins their ids. */
  stand(told, rows, further = {}) {
    const { at: url, view, record, editable, unread } = told;
    Object.assign(this, { url, view, record, editable, unread, empty: !url || unread });
    this.veil();
    this.master = this.page.source(this.under)?.record;
    this.position = told.position ?? 0;
    for (const grid of this.grids) {
      Object.assign(grid, { url: this.url, view: this.view });
      const g = grid.root.id.slice(0, -"grid".length);
      if (!grid.which) grid.stand(rows, told);
      else if (g in further) grid.stand(further[g], { ...told, widths: told.grids[g] });
      if (!this.empty) grid.renewed();
    }
  }

  // -- editing beside the grid -------------------------------------------------------------------------------

  /** Put a block into the grid from a cell on, after a question where it is about more than one record. what: lines of texts,
   *  or how many cells of the record at that place go into how many below it. */
  block(how, from, what) {
    if (!this.editable) return enlaceSay("These records are read only.");
    const done = this.putIn(how, from, what);
    this.page.hold(done); // what is pressed behind it is for the records as they are by then
    return done;
  }

  async putIn(how, { top, left }, what) {
    await this.page.settled();
    const data = { how, from: top, column: left - 1, ...what, grid: this.grid.which };
    const response = await reached(posted(this.address("block"), { ...data, preview: 1 }), NOT_PUT_IN);
    if (!response?.ok) return response && complain(response);
    const { edited, new: made, refused, marked } = await response.json();
    if (edited + made > 1 || refused.length || marked) {
      const parts = [edited && `change ${edited} record${edited === 1 ? "" : "s"}`, made && `enter ${made} new`].filter(
        Boolean,
      );
      const words = parts.length ? `This would ${parts.join(" and ")}.` : "Nothing can be put in.";
      const question = [words, marked, ...refused].filter(Boolean).join(" ");
      if (!(edited + made)) return enlaceSay(question, true);
      if (!(await enlaceAsk(question, how === "clear" ? "Clear" : "Put it in"))) return this.grid.focus();
    }
    await this.send("block", data);
    this.grid.focus();
  }

  /** Tell what chosen cells come to, once somebody stays with them; nothing for none. */
  cellsChosen(range) {
    const told = document.querySelector(`[data-of="of${this.p}"] [data-chosen-cells]`);
    clearTimeout(this.counting);
    if (!told) return;
    told.textContent = "";
    if (!range) return;
    const grid = this.grid?.which ? { grid: this.grid.which } : {};
    const asked = new URLSearchParams({ ...range, ...grid });
    this.counting = setTimeout(async () => {
      try {
        await this.page.edits.idle();
        const response = await fetch(this.address(`cells?${asked}`), FRAGMENT);
        const current = JSON.stringify(range) === this.grid?.chosen.said;
        if (response.ok && current) told.textContent = (await response.json()).words;
      } catch {
        // Away: what else is done says so.
      }
    }, 250);
  }

  /** Have a new record made that is typed into a grid; whether it is there. */
  async makeIn(grid) {
    await this.page.settled(); // a move on its way would make its own record the current one
    const { record: before } = this;
    await this.send("new", { record: before ?? "", position: this.position, in_grid: 1 });
    return this.record !== before && grid.standsOn(this.record);
  }

  /** Open or close a group, or all. What is pressed behind it is for the rows as they stand then. */
  fold(data) {
    this.page.hold(this.send("fold", data).then(() => this.grid.rests()));
  }

  send(act, data) {
    const sent = this.page.edits.send(this.address(act), act, data, this);
    if (act === "new" && !data.in_grid) this.page.hold(sent); // what is typed behind it is for the new record
    return sent;
  }

  typed(editor) {
    return {
      record: this.panel.dataset.record,
      field: editor.dataset.field,
      value: editor.value,
      choice: editor.dataset.choice,
      seen: editor.dataset.seen,
      seen_text: (editor.defaultValue ?? "").length < 4000 ? editor.defaultValue : undefined,
      position: this.panel.dataset.position,
    };
  }

  sendTyped(editor) {
    if (editor.value === editor.sent) return;
    editor.sent = editor.value;
    const typed = this.typed(editor);
    this.send("edit", typed);
    if (editor.matches("input, textarea")) for (const grid of this.grids) grid.echo(typed);
    delete editor.dataset.choice;
  }

  /** Somebody is typing in an editor of this source. */
  get typing() {
    const editor = document.activeElement;
    return (
      this.grids.some((grid) => grid.editing) ||
      (this.isEditor(editor) && editor.value !== (editor.sent ?? editor.defaultValue))
    );
  }

  // -- what the server tells -----------------------------------------------------------------------------------

  current({ id, position, line }) {
    if (this.moves && !this.arriving) return; // of something sent before the person went on to another record
    this.record = id;
    this.position = position ?? this.position;
    for (const grid of this.grids) grid.setCurrent(id, position, line, this.grid);
    for (const control of this.controls) control.stand?.(id);
  }

  /** What stands beside the editors after an edit of one field. */
  told(detail) {
    const { panel } = this;
    if (panel?.dataset.record !== detail.record) return;
    panel.dataset.state = detail.state;
    for (const note of document.querySelectorAll(`[data-of="of${this.p}"] .note:has(*)`)) {
      if (detail.notes.includes(Number(note.dataset.note))) continue;
      note.className = "note";
      note.replaceChildren();
    }
    this.showOthers(detail.others || {});
    for (const [number, fixed] of Object.entries(detail.fixed || {})) {
      for (const other of this.editors(number)) if (other.matches("input, textarea")) other.readOnly = fixed;
    }
    for (const number of new Set([detail.number, ...detail.notes])) this.tellTwins(detail.record, number);
    for (const editor of this.editors(detail.number)) this.toldOne(editor, detail);
  }

  /** What stands beside an editor stands beside the others of its field too: an answer has it once. */
  tellTwins(record, number) {
    const first = this.el(`note-${record}-${number}`);
    for (const note of document.querySelectorAll(`[data-of="of${this.p}"] [data-note="${number}"]`)) {
      if (!first || note === first) continue;
      note.className = first.className;
      note.replaceChildren(...[...first.cloneNode(true).children]);
      for (const named of note.querySelectorAll("[id]")) named.removeAttribute("id");
    }
  }

  toldOne(editor, detail) {
    if (editor === document.activeElement && editor.value !== editor.sent && editor.sent !== undefined) return;
    if (detail.text !== undefined) {
      editor.value = detail.text;
      editor.sent = detail.text;
    }
    const note = this.el(`note-${detail.record}-${detail.number}`);
    if (note?.classList.contains("wrong")) editor.setAttribute("aria-invalid", "true");
    else editor.removeAttribute("aria-invalid");
  }

  showOthers(texts) {
    for (const [number, text] of Object.entries(texts)) {
      for (const other of this.editors(number)) {
        if (other === document.activeElement) continue;
        if (other.matches("output")) other.textContent = text || "—";
        else {
          other.value = text;
          other.sent = text;
        }
      }
    }
  }
}
