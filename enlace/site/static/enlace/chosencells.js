// Several cells of a grid: chosen by Shift, told to those who add them up, copied to a spreadsheet and pasted from one.

import { SHOWN } from "./celleditor.js";
import { letterOf } from "./typing.js";

// What spreadsheets take a cell for that holds a text, whatever it looks like: "00123" keeps its zeros, "=1" is no formula.
const COUNTED = ["whole", "decimal", "date", "time", "datetime"];
const AS_TEXT = ` style="mso-number-format:'\\@'" sdnum="1033;0;@"`;
const PUT_IN = '[data-kind="longtext"], [data-typed-in="lines"], [data-kind="yesno"]';
const MOST_LINES = 20_000; // that a block has, as the server takes them

/** Lines of texts as a spreadsheet takes them: tabs between, quoted where a text has a tab, a line or a quote in it; and as a
 *  table. isText: of each column, whether its values are texts. */
export function asBlocks(lines, isText = []) {
  const quoted = (text) => (/[\t\n\r"]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
  const safe = (text) =>
    text
      .replaceAll("&", "&amp;")
      .replaceAll("<", "&lt;")
      .replaceAll(/\r\n|\r|\n/g, "<br>");
  const cell = (text, i) => `<td${isText[i] ? AS_TEXT : ""}>${safe(text)}</td>`;
  const html = lines.map((line) => `<tr>${line.map(cell).join("")}</tr>`).join("");
  return { plain: lines.map((line) => line.map(quoted).join("\t")).join("\n"), html: `<table>${html}</table>` };
}

/** What a spreadsheet put on the clipboard, as lines of texts. */
export function fromBlock(text) {
  const lines = [[""]];
  let quoted = false;
  for (let at = 0; at < text.length; at++) {
    const sign = text[at];
    const line = lines.at(-1);
    if (quoted) {
      if (sign !== '"') line[line.length - 1] += sign;
      else if (text[at + 1] === '"') line[line.length - 1] += text[at++];
      else quoted = false;
    } else if (sign === '"' && line.at(-1) === "") quoted = true;
    else if (sign === "\t") line.push("");
    else if (sign === "\n") lines.push([""]);
    else if (sign !== "\r" || text[at + 1] !== "\n") line[line.length - 1] += sign;
  }
  if (lines.length > 1 && lines.at(-1).length === 1 && lines.at(-1)[0] === "") lines.pop();
  return lines;
}

/** The cells of the first table in some HTML, as lines of texts; null where there is none, or cells of it are merged. */
function cellsOf(html) {
  const table = new DOMParser().parseFromString(html, "text/html").querySelector("table");
  if (!table || table.querySelector("[colspan]:not([colspan='1']), [rowspan]:not([rowspan='1']), table")) return null;
  const textOf = (cell) => {
    for (const end of cell.querySelectorAll("br")) end.replaceWith("\u2028"); // a line that ends, not one that the markup breaks
    return cell.textContent;
  };
  return [...table.rows].map((row) => [...row.cells].map(textOf));
}

/** Texts of the clipboard with the ends of lines that only its table has: a spreadsheet may write them as blanks, where a
 *  text can't have any. lines: of the text. cells: of the table; null for none. */
export function withLines(lines, cells) {
  const alike = cells?.length === lines.length && cells.every((row, i) => row.length === lines[i].length);
  if (!alike) return lines;
  const bare = (text) => text.replaceAll(/\s+/g, " ").trim();
  return lines.map((line, i) =>
    line.map((text, j) => {
      const cell = cells[i][j];
      if (!cell.includes("\u2028") || text.includes("\n") || bare(text) !== bare(cell)) return text;
      return cell.split("\u2028").map(bare).join("\n").trimEnd();
    }),
  );
}

/** What is said of texts that were copied. whole: whether the page had all rows of what is chosen. */
function copiedSaid(texts, whole) {
  const said = [
    whole
      ? `${texts.length} cell${texts.length === 1 ? "" : "s"} copied.`
      : "Only the rows that the page shows were copied.",
  ];
  const cut = texts.filter((text) => text.length >= SHOWN).length;
  if (cut)
    said.push(
      `${cut} of these texts may be longer than a cell shows: what is beyond is not copied. Take out has them whole.`,
    );
  return said.join(" ");
}

export class ChosenCells {
  /** block(how, from, what): puts lines of texts in from a cell on, or fills down from it. ranged(range): which cells are chosen by now. */
  constructor(grid, { block, ranged }) {
    Object.assign(this, { grid, block, ranged });
    this.anchor = null; // where the range was begun
    this.whole = {}; // whether it has all rows, and all columns
    grid.rows.addEventListener("paste", (event) => this.pasted(event));
    grid.rows.addEventListener("copy", (event) => this.copied(event));
  }

  /** Before a move: with Shift it reaches from where one stands, or stood; else one cell is chosen alone. */
  reach(shift) {
    const { current, column } = this.grid;
    if (!shift) this.alone();
    else this.anchor ||= { position: current.position, column };
  }

  /** One cell is chosen alone. */
  alone() {
    this.anchor = null;
    this.whole = {};
  }

  /** The cells from where a range was begun to the current one, whole rows or columns of them; null for one cell alone. */
  get range() {
    if (!this.anchor || this.grid.current.position === null) return null;
    const [{ position, column }, here] = [this.anchor, this.grid.current.position];
    const { rows, columns } = this.whole;
    if (position === here && column === this.grid.column && !rows && !columns) return null;
    return {
      top: rows ? 0 : Math.min(position, here),
      bottom: rows ? this.grid.total - 1 : Math.max(position, here),
      left: columns ? 1 : Math.min(column, this.grid.column),
      right: columns ? this.grid.columns : Math.max(column, this.grid.column),
    };
  }

  /** The rows of a range that the page has: a column of ten million has more than can be gone through. */
  rowsOf({ top, bottom }) {
    const { first, rows } = this.grid;
    return [...rows.children].slice(Math.max(0, top - first), Math.max(0, bottom - first + 1));
  }

  /** Choose whole rows (columns), whole columns (rows), or all, from what is chosen by now. */
  spread(more) {
    const { current, column } = this.grid;
    this.anchor ||= { position: current.position, column };
    Object.assign(this.whole, more);
    this.mark();
  }

  mark() {
    const { range } = this;
    if (this.some)
      for (const old of this.grid.rows.querySelectorAll(".in-range")) {
        old.classList.remove("in-range");
        old.removeAttribute("aria-selected");
      }
    this.some = Boolean(range);
    this.tell(range);
    if (!range) return;
    for (const row of this.rowsOf(range))
      for (const cell of [...row.children].slice(range.left, range.right + 1)) {
        cell.classList.add("in-range");
        cell.setAttribute("aria-selected", "true");
      }
  }

  /** Say which cells are chosen, once for each choice: by the places of their records. */
  tell(range) {
    const lines = range ? this.rowsOf(range) : [];
    const heads = lines.filter((row) => row.dataset.group !== undefined).length;
    const told = range && {
      from: this.grid.placeOf(heads && lines[0]?.dataset.group !== undefined ? range.top + 1 : range.top),
      count: range.bottom - range.top + 1 - heads,
      column: range.left - 1,
      wide: range.right - range.left + 1,
    };
    const said = JSON.stringify(told);
    if (said === this.said) return;
    Object.assign(this, { said, told });
    this.ranged?.(told);
  }

  /** The texts of the range, or of the current cell, as far as the page has its rows. */
  texts() {
    const at = this.grid.current.position;
    const { top, bottom, left, right } = this.range || {
      top: at,
      bottom: at,
      left: this.grid.column,
      right: this.grid.column,
    };
    const seen = this.rowsOf({ top, bottom });
    const records = seen.filter((row) => row.dataset.group === undefined);
    const lines = records.map((row) => [...row.children].slice(left, right + 1).map((cell) => cell.textContent));
    return { lines, top, left, whole: seen.length === bottom - top + 1 };
  }

  copied(event) {
    if (this.grid.editing || event.target.closest?.("input, textarea") || String(getSelection())) return;
    const { lines, left, whole } = this.texts();
    if (!lines.length) return;
    event.preventDefault();
    const heads = [...this.grid.head.querySelectorAll("[data-number]")].slice(left - 1);
    const { plain, html } = asBlocks(
      lines,
      heads.map(({ dataset }) => !COUNTED.includes(dataset.kind) || "list" in dataset),
    );
    event.clipboardData.setData("text/plain", plain);
    event.clipboardData.setData("text/html", html);
    enlaceSay(copiedSaid(lines.flat(), whole));
  }

  /** A key about several cells: choose whole rows or columns, fill, clear, or choose one alone again; whether it was one. */
  key(event) {
    const ctrl = event.ctrlKey || event.metaKey;
    const space = event.key === " " && !event.altKey;
    if (ctrl && letterOf(event) === "A") this.spread({ rows: true, columns: true });
    else if (space && (ctrl || event.shiftKey))
      this.spread({ ...(ctrl && { rows: true }), ...(event.shiftKey && { columns: true }) });
    else return this.range ? this.about(this.range, event, ctrl) : false;
    return true;
  }

  about({ top, bottom, left, right }, event, ctrl) {
    const act = ctrl && letterOf(event) === "D" ? "fill" : event.key === "Delete" ? "clear" : "";
    if (act && bottom - top >= MOST_LINES)
      enlaceSay(`At most ${MOST_LINES.toLocaleString()} lines at once. Choose fewer, or press Change several.`);
    else if (act === "fill") this.fill("fill", { top, left }, bottom - top, right - left + 1);
    else if (act === "clear") {
      this.put("clear", { top, left }, Array(bottom - top + 1).fill(Array(right - left + 1).fill("")));
    } else if (event.key === "Escape") {
      this.alone();
      this.mark();
    } else return false;
    return true;
  }

  /** Put lines of texts in from a line on. */
  put(how, from, lines) {
    this.within(how, from, lines.length, { lines: JSON.stringify(lines) });
  }

  /** Put cells of the record in a line into so many below it. */
  fill(how, from, count, wide) {
    this.within(how, from, count + 1, { count, wide });
  }

  /** The value above, into the cell that one stands on. */
  above() {
    const { position } = this.grid.current;
    const { locked } = this.grid.heading.dataset;
    if (locked) enlaceSay(locked);
    else if (position === 0) enlaceSay("There is no record above this one.");
    else if (this.grid.row(position - 1)?.dataset.group !== undefined)
      enlaceSay("There is no record above this one in its group.");
    else this.fill("above", { top: position - 1, left: this.grid.column }, 1, 1);
  }

  /** Put a block in from a line on, where its lines stand together. */
  within(how, from, count, what) {
    for (let line = from.top; this.grid.grouped && line < from.top + count; line++)
      if (this.grid.row(line)?.dataset.group !== undefined)
        return enlaceSay("A group begins there. Put a block into one group at a time.");
    this.block(how, { ...from, top: this.grid.placeOf(from.top) }, what);
  }

  /** at: the line that a block goes into from. */
  pasted(event, at = this.grid.current.position ?? 0) {
    if (this.grid.editing) return;
    const text = event.clipboardData.getData("text/plain");
    event.preventDefault();
    if (!text) return;
    const lines = withLines(fromBlock(text), cellsOf(event.clipboardData.getData("text/html")));
    const range = at === this.grid.current.position ? this.range : null;
    if (lines.length === 1 && lines[0].length === 1 && at < this.grid.total) {
      // One text is typed, so that one sees what it comes to; where typing would not replace what is there, it is put in.
      if (!range && !this.grid.heading?.matches(PUT_IN)) return this.grid.startEdit(lines[0][0]);
      const { left, right, top, bottom } = range || {
        left: this.grid.column,
        right: this.grid.column,
        top: at,
        bottom: at,
      };
      const wide = Array(right - left + 1).fill(lines[0][0]);
      return this.put("paste", { top, left }, Array(bottom - top + 1).fill(wide));
    }
    this.put("paste", range || { top: at, left: this.grid.column }, lines);
  }
}
