// What a cell's editor needs to know of cards: their lines are edited as cells of a grid are.

import { CellEditor } from "./celleditor.js";

export class CardCells {
  /** cards: the control. choices: the list of the page. */
  constructor(cards, source, choices) {
    Object.assign(this, { cards, source, editing: null, late: false, column: 0, current: { position: null } });
    this.editor = new CellEditor(source, this, choices);
  }

  lines(card) {
    return [...card.querySelectorAll("[data-line]")];
  }

  /** Edit a line of a card, counted from 0. */
  open(card, at = 0, text = undefined) {
    const line = this.lines(card)[at];
    if (!line) return;
    if (!this.source.editable) return void enlaceSay("These records are read only.");
    this.column = at;
    this.current = { position: Number(card.dataset.at) };
    // As a row of a grid tells of itself.
    const { card: id, at: position, state } = card.dataset;
    const row = { id: card.id, dataset: { id, at: position, state } };
    this.editor.open(row, line, line.querySelector(".value"), text);
  }

  /** The value that is edited, in its card. */
  cellOf(card) {
    return card?.querySelectorAll(".value")[this.column];
  }

  focus() {
    this.cards.box.focus();
  }

  /** Tab goes to another line, Enter back to the cards. */
  moveTo(position, column) {
    const card = this.cards.options.find(({ dataset }) => Number(dataset.at) === position);
    if (card && position === this.current.position && this.lines(card)[column]) this.open(card, column);
    else this.focus();
  }

  load() {
    this.cards.renew();
  }
}
