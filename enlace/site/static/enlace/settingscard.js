// The card with the settings of what is chosen on the sheet: it stands beside it, wherever there is room, and goes with it.

const GAP = 10; // pixels
const LEAST = 220; // that it is high

/** Where the card stands, in the coordinates of the stage's view. control: the box of what is chosen. stage: that of the view.
 *  width, height: of the card. Beside it if there is room at a side, else below or above it, else over its right end. */
export function placed(control, stage, width, height) {
  const inside = (value, least, most) => Math.max(least, Math.min(value, most));
  const left = inside(control.left, stage.left + GAP, stage.right - width - GAP);
  const level = inside(control.top, stage.top + GAP, stage.bottom - Math.min(height, stage.bottom - stage.top) - GAP);
  const right = control.right + GAP;
  if (right + width + GAP <= stage.right) return { left: right, top: level };
  if (control.left - GAP - width >= stage.left) return { left: control.left - GAP - width, top: level };
  if (stage.bottom - control.bottom >= Math.max(LEAST, height) + 2 * GAP) return { left, top: control.bottom + GAP };
  if (control.top - stage.top >= Math.max(LEAST, height) + 2 * GAP) return { left, top: control.top - GAP - height };
  return { left: stage.right - width - GAP, top: level };
}

export class SettingsCard {
  /** root: the composer. chosen(): the ids of what is chosen. find(id): a control on the sheet. leave(): nothing is chosen any
   *  more. */
  constructor(root, { chosen, find, leave }) {
    Object.assign(this, { root, chosen, find });
    root.addEventListener("click", ({ target }) => target.closest("[data-close-card]") && leave());
    root.addEventListener("scroll", ({ target }) => target.matches?.(".stage") && this.place(), true);
    addEventListener("resize", () => this.place());
    root.addEventListener("keydown", (event) => this.key(event));
  }

  get card() {
    return this.root.querySelector(".card-of");
  }

  get control() {
    const [id] = this.chosen();
    return id ? this.find(id) : null;
  }

  place() {
    const { card, control } = this;
    if (!card || !control) return;
    card.style.maxHeight = "";
    if (getComputedStyle(card).position !== "absolute") return; // on a narrow window it stands below the sheet
    const room = card.parentElement.getBoundingClientRect();
    const stage = this.root.querySelector(".stage").getBoundingClientRect();
    const most = stage.height - 2 * GAP;
    const height = Math.min(card.scrollHeight, most);
    const { left, top } = placed(control.getBoundingClientRect(), stage, card.offsetWidth, height);
    card.style.left = `${left - room.left}px`;
    card.style.top = `${Math.max(stage.top + GAP, top) - room.top}px`;
    card.style.maxHeight = `${most}px`;
  }

  /** Enter on what is chosen leads into its card, Escape in the card back to it. */
  key(event) {
    const { card, control } = this;
    if (!card || !control || event.defaultPrevented) return;
    if (event.key === "Enter" && event.target === control && this.chosen().length === 1) {
      card.querySelector("input, select, textarea:not([hidden])")?.focus();
    } else if (event.key === "Escape" && card.contains(event.target)) {
      control.focus({ preventScroll: true });
    } else return;
    event.preventDefault();
    event.stopImmediatePropagation();
  }
}
