// Editing in the grid: a cell becomes an input, Enter and Tab keep what was typed, Escape drops it.

const ELSEWHERE = ["longtext", "picture", "binary"]; // edited beside the grid, where there is room

export class CellEditor {
  /** panelEditor(id, number): the editor of a field beside the grid, once it shows that record. */
  constructor(grid, edits, panelEditor) {
    Object.assign(this, { grid, edits, panelEditor });
  }

  async open(row, head, cell, text) {
    const { id } = row.dataset;
    const { number, name, kind } = head.dataset;
    const label = head.textContent.trim();
    if ("locked" in head.dataset) return enlaceSay(`${label} can't be edited.`);
    if (row.dataset.state === "removed") return enlaceSay("This record is marked for removal. Keep it first, then edit it.");
    if (ELSEWHERE.includes(kind)) return (await this.panelEditor(id, number))?.focus();
    const ready = this.panelEditor(id, number);
    const beside = text === undefined || kind === "yesno" ? await ready : null;
    const input = this.input(kind, beside, text);
    input.setAttribute("aria-label", label);
    const kept = cell.innerHTML;
    cell.replaceChildren(input);
    cell.classList.add("editing");
    this.grid.editing = input;
    input.focus();
    if (text === undefined) input.select?.();
    const before = beside?.value;

    const close = (keep) => {
      if (this.grid.editing !== input) return;
      this.grid.editing = null;
      cell.classList.remove("editing");
      if (keep && input.value !== before) this.keep(row, cell, { id, number, name, value: input.value, before });
      else cell.innerHTML = kept;
      if (this.grid.late) {
        this.grid.late = false;
        this.grid.load();
      }
    };
    input.addEventListener("blur", () => close(true));
    input.addEventListener("keydown", (event) => this.key(event, close));
  }

  input(kind, beside, text) {
    if (kind === "yesno" && beside) {
      const select = beside.cloneNode(true);
      select.removeAttribute("id");
      select.value = beside.value;
      const typed = { y: "yes", n: "no", 1: "yes", 0: "no" }[text?.toLowerCase()];
      if (typed) select.value = typed;
      return select;
    }
    const input = document.createElement("input");
    input.value = text ?? beside?.value ?? "";
    input.autocomplete = "off";
    input.spellcheck = false;
    return input;
  }

  key(event, close) {
    event.stopPropagation();
    const { grid } = this;
    const { position } = grid.current;
    const go = { Enter: [position + (event.shiftKey ? -1 : 1), grid.column], Tab: [position, grid.column + (event.shiftKey ? -1 : 1)] };
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

  async keep(row, cell, { id, number, name, value, before }) {
    cell.textContent = value;
    const data = { record: id, field: name, value, position: row.dataset.at, order: this.grid.order };
    const beside = document.getElementById("panel").dataset.record === id && document.getElementById(`e-${number}`);
    if (beside) {
      data.seen = beside.dataset.seen;
      data.seen_text = before ?? beside.value;
      beside.value = value;
    }
    this.edits.send("edit", data);
  }
}
