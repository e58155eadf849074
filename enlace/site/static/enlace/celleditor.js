// Editing in the grid: a cell becomes an input, Enter and Tab keep what was typed, Escape drops it.

import { Choices } from "./choices.js";
import { textOf } from "./posting.js";
import { typedBy } from "./typing.js";

export const SHOWN = 200; // characters of a text that a cell shows at the most
const ELSEWHERE = ["longtext", "picture", "binary"]; // edited beside the grid, where there is room
const PICTURES = ["picture", "binary"];

/** A cell shows what was typed, before the server has said how it is written. */
export function typedInto(cell, text) {
  cell.textContent = text;
  cell.classList.remove("fits"); // nobody knows yet whether it does
}

export class CellEditor {
  /** source: whose records the grid shows. */
  constructor(source, grid, choices) {
    Object.assign(this, { source, grid, choices });
  }

  panelEditor(id, number) {
    return this.source.editorOf(id, number);
  }

  /** text: what its editor begins with, in place of what the cell holds; null empties the cell without one. */
  async open(row, head, cell, text) {
    if (head.dataset.locked) return enlaceSay(head.dataset.locked);
    if (row.dataset.state === "removed")
      return enlaceSay("This record is marked for removal. Discard the removal first, then edit it.");
    if (this.opening) return;
    if (text === null) return this.clear(row, head, cell);
    const { id } = row.dataset;
    const { number, name, kind } = head.dataset;
    const label = head.querySelector("a, span")?.firstChild?.textContent.trim();
    const typedIn = head.dataset.typedIn ?? "";
    let long = typedIn ? typedIn === "lines" : kind === "longtext" && !("list" in head.dataset);
    // What a cell shows can be typed back, so nobody has to wait for the editors beside the grid to load; only a text that
    // the cell shows cut has to be fetched first.
    let left = null;
    let there = { cell, before: this.loaded(id, number)?.value ?? cell.textContent };
    if (ELSEWHERE.includes(kind) || (text === undefined && cell.textContent.length >= SHOWN)) {
      this.opening = { text, long, left: null };
      there = await this.there(row, { id, number, name, kind, label, typedIn });
      ({ text, left } = this.opening);
      this.opening = null;
    }
    if (left?.key === "Escape") return;
    if (there?.editor) return this.typeBeside(there.editor, text);
    if (!there?.cell) return;
    const { before, whole } = there;
    ({ cell } = there);
    const listed = "list" in head.dataset;
    long ||= typedIn === "line" && before.includes("\n"); // on one line its lines would be lost
    const typed = long ? before + (text ?? "") : (text ?? before);
    const input =
      kind === "yesno" && !listed
        ? this.choice(before, text, "nullable" in head.dataset)
        : long
          ? this.area(typed, cell)
          : this.line(typed);
    input.setAttribute("aria-label", label);
    if (listed) this.withList(input, id, name);
    const kept = cell.innerHTML;
    if (!long) cell.replaceChildren(input);
    cell.classList.add("editing");
    this.grid.editing = input;
    input.focus();
    if (long) input.setSelectionRange(input.value.length, input.value.length);
    else if (text === undefined) input.select?.();

    const close = (keep) => {
      if (this.grid.editing !== input) return;
      this.grid.editing = null;
      if (listed) this.choices.close();
      cell.classList.remove("editing");
      if (long) input.remove();
      const { choice } = input.dataset;
      if (keep && (input.value !== before || choice))
        this.keep(row, cell, { id, number, name, value: input.value, choice, before, whole });
      else if (input.kept) cell.replaceWith(input.kept);
      else cell.innerHTML = kept;
      if (this.grid.late) {
        this.grid.late = false;
        this.grid.load();
      }
    };
    // What the page has to send when it goes away with the cell open.
    input.typedInCell = () =>
      input.value === before ? null : this.edit(row, { id, number, name, value: input.value, before, whole }).data;
    input.addEventListener("blur", () => close(true));
    input.addEventListener("keydown", (event) => this.key(event, close));
    input.finish = () => {
      close(true);
      this.grid.focus();
    };
    if (listed && text !== undefined) this.choices.show(input, text);
    if (left) this.key(new KeyboardEvent("keydown", left), close, input);
  }

  /** Leave nothing in a cell. */
  clear(row, head, cell) {
    const { number, name, kind } = head.dataset;
    if (PICTURES.includes(kind)) return enlaceSay("A picture is taken out in its editor.");
    const { id } = row.dataset;
    // What was typed beside the grid a moment ago stands in its editor, and not in the cell yet.
    const before = this.loaded(id, number)?.value ?? cell.textContent;
    if (before) this.keep(row, cell, { id, number, name, value: "", before });
  }

  /** Whether a key is for a cell that waits for what it holds: it is typed there, or leaves it, once that has come. */
  waits(event) {
    const { opening } = this;
    const { key, shiftKey } = event;
    const typed = key === "Enter" && opening?.long ? "\n" : typedBy(event);
    if (!opening || (!typed && (event.ctrlKey || event.altKey || event.metaKey))) return false;
    if (!typed && ["Enter", "Tab", "Escape"].includes(key)) opening.left ||= { key, shiftKey };
    // Others would move about in the text: they must not lead to another cell.
    else if (typed && !opening.left) opening.text = (opening.text ?? "") + typed;
    event.preventDefault();
    return true;
  }

  /** An editor with a list of lines to choose from. */
  withList(input, id, name) {
    Object.assign(input.dataset, { record: id, field: name });
    const told = {
      role: "combobox",
      "aria-autocomplete": "list",
      "aria-expanded": "false",
      "aria-controls": "choices",
      "aria-haspopup": "listbox",
    };
    for (const [attribute, value] of Object.entries(told)) input.setAttribute(attribute, value);
  }

  /** The editor beside the grid if it shows the record already. */
  loaded(id, number) {
    return this.source.panel?.dataset.record === id ? this.source.el(`e-${number}`) : null;
  }

  choice(before, typed, nullable) {
    const select = document.createElement("select");
    for (const word of ["yes", "no", ...(nullable || !before ? [""] : [])]) select.add(new Option(word || "—", word));
    select.value = { y: "yes", n: "no", 1: "yes", 0: "no" }[typed?.toLowerCase()[0]] ?? before;
    return select;
  }

  /** What a cell holds that shows only the beginning of it; or the editor beside the grid, where there is one with room. */
  async there(row, { id, number, name, kind, label, typedIn }) {
    const beside = await this.panelEditor(id, number);
    if (beside && !typedIn && ELSEWHERE.includes(kind)) return { editor: beside };
    if (PICTURES.includes(kind)) {
      enlaceSay(`${label} is chosen in an editor, and this form has none of it.`);
      return null;
    }
    const whole = beside ? null : await this.whole(id, name);
    const before = beside?.value ?? whole?.text;
    // Its row may have been drawn anew meanwhile.
    return before === undefined ? null : { cell: this.grid.cellOf(document.getElementById(row.id)), before, whole };
  }

  /** What a cell shows only the beginning of; null where it can't be had, which is said. */
  async whole(id, name) {
    const asked = new URLSearchParams({ record: id, field: name });
    const text = await textOf(fetch(this.source.address(`value?${asked}`), { headers: { "HX-Request": "true" } }));
    return text === null ? null : JSON.parse(text);
  }

  /** A box for a text of several lines, over its cell: rows clip what is in them. */
  area(text, cell) {
    const { left, top, width } = cell.getBoundingClientRect();
    const area = document.createElement("textarea");
    area.className = "cell-area";
    area.value = text;
    document.getElementById("content").append(area);
    area.style.width = `${Math.min(Math.max(width, 320), innerWidth - 16)}px`;
    area.style.left = `${Math.max(8, Math.min(left, innerWidth - area.offsetWidth - 8))}px`;
    area.style.top = `${Math.max(8, Math.min(top, innerHeight - area.offsetHeight - 8))}px`;
    return area;
  }

  line(text) {
    const input = document.createElement("input");
    input.value = text;
    input.autocomplete = "off";
    input.spellcheck = false;
    return input;
  }

  key(event, close, input = event.target) {
    event.stopPropagation();
    if (Choices.fits(input) && this.choices.key(event)) return;
    if (input.matches("textarea") && event.key === "Enter" && !event.ctrlKey) return; // a line of the text
    const { grid } = this;
    const { position } = grid.current;
    const go = {
      Enter: [position + (event.shiftKey ? -1 : 1), grid.column],
      Tab: [position, grid.column + (event.shiftKey ? -1 : 1)],
    };
    if (event.key === "Escape") {
      event.preventDefault();
      close(false);
      grid.focus();
    } else if (go[event.key]) {
      event.preventDefault();
      close(true);
      grid.moveTo(...go[event.key]);
    }
  }

  /** What is sent of an edit, and the editor beside the grid that shows the same value. */
  edit(row, { id, number, name, value, choice, before, whole }) {
    const data = { record: id, field: name, value, choice, position: row.dataset.at };
    const beside = this.loaded(id, number);
    if (whole) Object.assign(data, { seen: whole.seen, seen_text: before });
    else if (beside) Object.assign(data, { seen: beside.dataset.seen, seen_text: before });
    return { data, beside };
  }

  keep(row, cell, typed) {
    typedInto(cell, typed.value);
    const { data, beside } = this.edit(row, typed);
    if (beside) beside.value = typed.value;
    this.source.send("edit", data);
  }

  /** Go on in the editor beside the grid, behind what is there; what was typed into the cell is typed there. */
  typeBeside(editor, text) {
    if (!editor) return;
    editor.focus();
    if (!("value" in editor)) return; // a picture
    editor.setRangeText(text ?? "", editor.value.length, editor.value.length, "end");
    if (text) editor.dispatchEvent(new Event("input", { bubbles: true }));
  }
}
