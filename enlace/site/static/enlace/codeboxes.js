// Boxes for an expression: each gets a code editor in its place, which knows the names and underlines what is wrong.

import { posted } from "./posting.js";

const editors = new WeakMap(); // of each box: its editor, and the names that this one knows

/** The names that may be written in a box: its own ones, else those of the page. */
const namesOf = (box) => (box.closest("[data-names]") || document.querySelector("[data-names]"))?.dataset.names || "[]";

/** Give the boxes within a part of a page their editors, and those that have one what stands in them now. */
export async function codeBoxes(root, nonce) {
  const boxes = [...root.querySelectorAll("textarea[data-code]")];
  if (!boxes.length) return;
  const code = await import("./code.js").catch(() => null);
  if (!code) return; // Enlace is away: a box of text is there to be typed into all the same
  for (const box of boxes) {
    const now = editors.get(box);
    const names = namesOf(box);
    if (now?.editor.standing && now.names === names) {
      now.editor.show(box.value);
      continue;
    }
    now?.editor.remove();
    if (!box.isConnected) continue;
    const { faults } = box.dataset;
    const check = faults && ((text) => wrong(faults, box.dataset.of || "", text));
    editors.set(box, {
      names,
      editor: code.codeEditor(box, { dialect: "sqlite", names: JSON.parse(names), nonce, check }),
    });
  }
}

async function wrong(address, of, text) {
  const response = await posted(address, { text, of }).catch(() => null); // what is applied tells who is away
  return response?.ok ? (await response.json()).faults : [];
}
