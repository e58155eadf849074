// What an answer brings anew is mostly what stands on the page already, with other texts in it. It is put into what stands
// there: an element that is replaced is styled, laid out and painted anew with all that it holds, and takes the focus with it.

import { Idiomorph } from "../vendor/idiomorph.esm.js";
import { standsForBox, stoodFor } from "./inhand.js";

export const ASKS = "[hx-post], [hx-get]"; // htmx listens to these itself
const TYPED = "input, textarea, select";
const PLAIN = "button, label, svg"; // hold nothing that is typed into: alike, they need not be looked through
const OPEN = ["aria-expanded", "aria-activedescendant"]; // said by the list that is open below an editor

/** Make an element of the page what an answer has for it. there: as it stands. made: as the answer has it. keeps: whether
 *  an element within stays as it is, whatever the answer has; of an attribute, where its name is given. */
export function patch(there, made, keeps = () => false) {
  made.removeAttribute("hx-swap-oob"); // of the answer alone
  // A control that somebody types in takes what is new once that is kept.
  if (there.parentElement?.postpones?.()) return;
  there.inert = false; // as it was while the answer was on its way
  if (there.isEqualNode(made) && !there.querySelector(TYPED)) return;
  const asking = new Set();
  renamed(there, made);
  Idiomorph.morph(there, made, {
    morphStyle: "outerHTML",
    restoreFocus: false, // what has it stays
    callbacks: {
      beforeNodeMorphed: (node, its) =>
        !(node.nodeType === Node.ELEMENT_NODE && ((node.matches(PLAIN) && node.isEqualNode(its)) || keeps(node))),
      beforeAttributeUpdated: (name, node) =>
        !(OPEN.includes(name) && node === document.activeElement) && !stoodFor(name, node) && !keeps(node, name),
      beforeNodeRemoved: (node) => !standsForBox(node),
      afterNodeAdded: (node) => void (node.nodeType === Node.ELEMENT_NODE && asking.add(node)),
      afterNodeMorphed: (node) => void (node.nodeType === Node.ELEMENT_NODE && become(node, asking)),
    },
  });
  // A button that is off now loses the focus without anybody being told, unless it is replaced.
  const off = document.activeElement.disabled ? document.activeElement : null;
  off?.replaceWith(off.cloneNode(true));
  for (const element of asking) if (element !== off) htmx.process(element);
}

/** A note has its record in its id, so that an answer about another one is not put into it. With the record it becomes that
 *  record's: taken out and put in, each would have its field styled and laid out anew. */
function renamed(there, made) {
  const coming = made.querySelectorAll("[data-note]");
  there.querySelectorAll("[data-note]").forEach((note, i) => {
    if (coming[i]?.dataset.note === note.dataset.note) note.id = coming[i].id;
  });
}

/** What a person did to an element was to the one before. */
function become(node, asking) {
  delete node.sent;
  if (node.matches("select")) for (const option of node.options) option.selected = option.defaultSelected;
  if (node.type === "file" && node.value) node.value = "";
  if (node.matches(ASKS)) asking.add(node);
}
