// What was typed on the card of the settings and could not be taken: it stays as it was typed, to be put right, as long as the
// same is chosen. An answer to another act would put in its place what is kept.

import { inHand } from "./inhand.js";

export class Refused {
  /** chosen(): what is chosen now, as one text. */
  constructor(chosen) {
    Object.assign(this, { chosen, texts: new Map(), of: "" });
  }

  /** A text was refused. id: of the box that it was typed into. of: what was chosen then. */
  keep(id, text, of) {
    if (of !== this.of) this.texts.clear();
    this.of = of;
    if (of === this.chosen()) this.texts.set(id, text);
    this.stand();
  }

  /** Somebody typed another text into a box. */
  drop(box) {
    if (this.texts.delete(box.id)) box.removeAttribute("aria-invalid");
  }

  /** The page was drawn anew. */
  stand() {
    if (this.of !== this.chosen()) this.texts.clear();
    for (const [id, text] of this.texts) {
      const box = document.getElementById(id);
      if (!box) continue;
      if (box !== inHand()) box.value = text;
      box.setAttribute("aria-invalid", "true");
    }
  }
}
