// The keys of a form: each act has one, and "?" lists them.

import { LAST } from "./source.js";
import { focusOn, stopOf } from "./focus.js";
import { letterOf } from "./typing.js";

const MOVES = { Home: "first", ArrowUp: "back", ArrowDown: "next", End: "last" };
export const FIRST = "[data-field]:not([readonly]):not([disabled])";
const IN_GRID = [
  ["Arrows, Page Up, Page Down", "From cell to cell; typing begins to edit"],
  ["Home, End", "The first and the last cell of the row; with Ctrl of all rows"],
  ["Ctrl and arrows", "As far as there are rows or columns"],
  ["F2 or Enter", "Edit the cell; Enter and Tab keep what was typed and go on, Escape leaves it as it was"],
  ["Alt+Down", "Open the list of a cell or an editor, Alt+Up closes it"],
  ["Shift and arrows", "Choose several cells; Ctrl+C copies them, Ctrl+V puts a block in, Delete clears it"],
  ["Shift+Space, Ctrl+Space, Ctrl+A", "Choose the row, the column, all cells; Escape chooses one alone"],
  ["Ctrl+; and Ctrl+'", "Today or the time it is, and the value above, into the cell"],
  ["Ctrl+D", "Fill the chosen cells with what stands in the first row"],
  ["Shift+F10", "Acts of the column"],
  ["Up, from the first row", "To the headings; Enter orders by one, with Shift as one more"],
  ["Space, in a group", "Open or close it, as the right and the left arrow do"],
];
const ELSEWHERE = [
  ["Ctrl+S", "Save"],
  ["Ctrl+Z, Ctrl+Y", "Undo, redo (outside an editor)"],
  ["Alt and left or right", "In the sentence: a field of the order, or of the groups, earlier or later"],
  ["F6, Shift+F6", "From control to control"],
  ["?, in a grid F1", "This list"],
];

export class DeskKeys {
  /** here(): the source of what has the focus. sources: all of them, by name. run(source, { act }): what buttons run.
   *  like(source): a new record like its current one. held: keys that wait for editors. */
  constructor(box, { here, sources, run, like, held }) {
    Object.assign(this, { box, here, sources, held, from: null, to: null, going: null });
    const press = (name) => () => this.element(name)?.click();
    const does = (act) => () => run(here(), { act });
    this.acts = [
      ["N", "New record", does("new")],
      ["U", "New record like this one", () => like(here())],
      ["R", "Remove the record", does("remove")],
      ["Home, Up, Down, End", "The first, the one before, the next, the last record"],
      ["J", "Go to a record by its number", () => this.into("go-number")],
      ["A", "Read the records again", does("refresh")],
      ["F", "Filter", press("act-filter")],
      ["C", "Conditions for the rows", press("act-conditions")],
      ["S", "The same values for several records", press("act-several")],
      ["P", "Put another text in place of one", press("act-replace")],
      ["L", "Find in the rows; Enter goes on, Shift+Enter back", () => this.into("find")],
      ["V", "Kept views", press("act-views")],
      ["K", "Columns and arrangements", press("act-arrangements")],
      ["T", "Take the rows out", press("act-take")],
      ["B", "Bring rows in", press("act-bring")],
      ["W", "Review what is pending", press("act-review")],
      ["H", "Rehearse the save", does("rehearse")],
      ["M", "The forms of the project", press("act-forms")],
      ["X", "Discard all that is pending", does("discard")],
      ["G", "Go to the grid", () => here().grid?.focus()],
      ["E", "Go to the editors", () => held.after(() => this.editors())],
      ["D", "Go to the next records on the sheet", () => this.nextSource()],
    ];
    document.addEventListener("keydown", (event) => this.key(event));
  }

  /** The acts whose keys no button of the form has for itself. */
  get own() {
    const given = new Set(
      [...document.querySelectorAll("[accesskey]")].map((button) => button.accessKey.toUpperCase()),
    );
    return this.acts.filter(([key]) => !given.has(key));
  }

  element(name) {
    const source = this.here();
    return source.el(name) || source.el(`panel-${name}`) || document.getElementById(name);
  }

  into(name) {
    focusOn(this.element(name));
  }

  /** Go on in the records from wherever one stands: what was typed is kept before, and the focus stays in the field. Of
   *  several presses in a row only where they lead is asked for. */
  move(act) {
    this.from ??= { source: this.here(), element: document.activeElement };
    const { source } = this.from;
    if (this.to === null && source.lost) return this.held.until(source.moving.then(() => this.move(act)));
    const at = this.to ?? source.toward ?? source.position; // a move of the grid may be on its way
    this.to = { first: 0, back: Math.max(at - 1, 0), next: at === LAST ? at : at + 1, last: LAST }[act];
    this.going ??= this.goOn(source);
    this.held.until(this.going);
  }

  async goOn(source) {
    const { element } = this.from;
    const { field } = element?.dataset ?? {};
    const inGrid = element?.closest("[role='gridcell']");
    element?.blur();
    for (let to = null; to !== this.to; ) {
      to = this.to;
      await source.goTo(to);
    }
    Object.assign(this, { from: null, to: null, going: null });
    const again = field && source.panel?.querySelector(`[data-field="${CSS.escape(field)}"]`);
    if (inGrid) source.grid?.focus();
    else if (again) focusOn(again);
    else if (element?.isConnected) element.focus();
  }

  editors() {
    const own = [...document.querySelectorAll(`[data-of="of${this.here().p}"]`)];
    const editor = own
      .map((control) => (control.querySelector("[data-grid]") ? null : control.querySelector(FIRST)))
      .find(Boolean);
    focusOn(editor);
  }

  nextSource() {
    const several = [...this.sources.values()].filter((source) => source.grid?.root.offsetParent);
    several[(several.indexOf(this.here()) + 1) % several.length]?.grid.focus();
  }

  controlToControl(back) {
    const several = [...document.querySelectorAll(".control:not(:has(.control))")].filter(
      (control) => control.offsetParent,
    );
    const at = several.findIndex((control) => control.contains(document.activeElement));
    for (let step = 1; step <= several.length; step++) {
      const into = stopOf(several[(at + (back ? -step : step) + 2 * several.length) % several.length]);
      if (into) return into.focus();
    }
  }

  key(event) {
    const typing = event.target.matches?.("input:not([type='range']), textarea, select");
    const inGrid = event.target.closest?.('[role="gridcell"]');
    const act = this.actOf(event);
    if (event.key === "F6") this.held.after(() => this.controlToControl(event.shiftKey));
    else if (event.key === "F1" || (event.key === "?" && !typing && !inGrid)) this.list();
    else if (act) act();
    else return;
    event.preventDefault();
  }

  actOf(event) {
    if (!event.altKey || !event.shiftKey || event.ctrlKey) return null;
    if (event.key in MOVES) return () => this.move(MOVES[event.key]);
    return this.own.find(([key]) => key === letterOf(event))?.[2];
  }

  list() {
    const buttons = [...document.querySelectorAll("[accesskey]")].map((button) => [
      `Alt+Shift+${button.accessKey.toUpperCase()}`,
      button.textContent.trim(),
    ]);
    const parts = [
      ["Acts of the form", [...this.own.map(([key, ...rest]) => [`Alt+Shift+${key}`, ...rest]), ...buttons]],
      ["In a grid", IN_GRID],
      ["Anywhere", ELSEWHERE],
    ];
    const made = (tag, text) => Object.assign(document.createElement(tag), { textContent: text });
    this.box.querySelector("[data-keys]").replaceChildren(
      ...parts.map(([title, lines]) => {
        const [part, list] = [document.createElement("section"), document.createElement("dl")];
        list.className = "keys";
        list.append(...lines.flatMap(([keys, words]) => [made("dt", keys), made("dd", words)]));
        part.append(made("h3", title), list);
        return part;
      }),
    );
    this.box.showModal();
    this.box.scrollTop = 0;
  }
}
