// The field sheet: what is changed in place goes out at once; the sheet that comes back leaves be what somebody types by then.

import { codeBoxes } from "./codeboxes.js";
import { inHand } from "./inhand.js";
import { Names } from "./names.js";
import { patch } from "./patch.js";
import { sentAtLast } from "./posting.js";
import { Turns } from "./turns.js";

const codes = () => codeBoxes(document, document.querySelector("[data-styles]").dataset.styles);
document.addEventListener("DOMContentLoaded", codes);

const sheet = () => document.getElementById("sheet");
const open = () => document.getElementById("field-properties")?.dataset.open;
const names = new Names();
const turns = new Turns();

function columns() {
  const strip = document.querySelector(".strip-rows");
  strip?.style.setProperty("--columns", strip.dataset.columns);
  const head = open() && strip?.querySelector(`[data-pk="${open()}"]`);
  if (head) strip.scrollLeft = head.offsetLeft - 200;
}
columns();

document.addEventListener("change", ({ target }) => {
  const { property, field } = target.dataset ?? {};
  if (!property || !sheet().contains(target)) return;
  const value = target.type === "checkbox" ? (target.checked ? "yes" : "") : target.value;
  if (wrong.delete(target.id)) {
    target.removeAttribute("aria-invalid");
    document.getElementById("sheet-told")?.remove();
  }
  // Enter has sent it already, or it is what it was before something was refused.
  const stood = target.type === "checkbox" ? null : target.defaultValue;
  if (value === (target.sent ?? stood)) return;
  target.sent = value;
  turns.take(() => put(target.id, field, { property, value, open: open() === field ? "1" : "" }));
});

/** Send one property of a field. id: of its editor. */
async function put(id, field, sent) {
  const response = await sentAtLast(`/workshop/field/${field}/set`, sent);
  const html = await response.text();
  if (!response.ok) {
    delete document.getElementById(id)?.sent; // Enter sends it once more
    return enlaceSay(enlaceWords(html), true);
  }
  const made = sheetOf(html);
  const told = made.querySelector("#sheet-told");
  if (told) {
    wrong.set(id, sent.value);
    enlaceSay(told.textContent, true);
  }
  // What is sent next is answered with all that there is then.
  if (turns.waiting === 1) await stand(made);
}

function sheetOf(html) {
  const parts = document.createElement("template");
  parts.innerHTML = html;
  return parts.content.getElementById("sheet");
}

const wrong = new Map(); // what was refused, by its editor's id: it stays as it was typed, to be corrected
const FILLED = "input:not([type=hidden]), textarea, select";

/** Put an answer in the place of the sheet. done: the form that was sent, where one was. */
async function stand(made, done = null) {
  const held = inHand();
  const { id: was } = document.activeElement;
  // Editors of one field must not become those of another: what is undone in them is theirs.
  const properties = document.getElementById("field-properties");
  if (properties && properties.dataset.open !== made.querySelector("#field-properties")?.dataset.open) {
    for (const { id } of properties.querySelectorAll(FILLED)) wrong.delete(id);
    properties.remove();
  }
  const begun = (node) => node.matches(FILLED) && !node.dataset.property && (!done || node.form !== done);
  const tried = (node) => node.matches(".tried") && !done?.contains(node);
  const keeps = (node) => node === held || begun(node) || tried(node);
  const opened = (node, name) => name === "open" && node.matches("details");
  patch(sheet(), made, (node, attribute) => (attribute ? opened(node, attribute) : keeps(node)));
  columns();
  for (const [id, value] of wrong) {
    const editor = document.getElementById(id);
    if (editor && editor.type !== "checkbox" && !held?.contains(editor)) editor.value = value;
    editor?.setAttribute("aria-invalid", "true");
  }
  await codes();
  if (was) refocus(was);
}

/** The focus goes where it was, or near that where it is gone or off. */
function refocus(was) {
  for (const id of [was, `open-${open()}`, "sheet-undo", "bulk-change"]) {
    if (document.activeElement !== document.body) return;
    document.getElementById(id)?.focus();
  }
}

// Buttons and forms ask by themselves: in their turn, too.
document.addEventListener("htmx:confirm", (event) => {
  const { elt, target, issueRequest } = event.detail;
  if (!turns.waiting || target?.id !== "sheet" || elt.dataset.ask) return;
  event.preventDefault();
  turns.running.finally(() => issueRequest(true));
});
document.addEventListener("htmx:beforeSwap", ({ detail }) => {
  if (detail.target.id !== "sheet" || !detail.shouldSwap) return;
  detail.shouldSwap = false;
  const made = sheetOf(detail.serverResponse);
  const told = made.querySelector("#sheet-told");
  if (told) enlaceSay(told.textContent, true);
  stand(made, told ? null : detail.requestConfig.elt);
});

document.addEventListener("keydown", (event) => {
  const { target } = event;
  if (names.key(event)) return;
  if (event.key === "Enter" && target.matches?.("#sheet input[data-property]"))
    target.dispatchEvent(new Event("change", { bubbles: true }));
});
// An expression is tried on real records while it is typed.
let timer = null;
document.addEventListener("input", ({ target }) => {
  names.typed(target);
  if (!("try" in (target.dataset || {}))) return;
  clearTimeout(timer);
  timer = setTimeout(() => {
    const told = target.parentElement?.querySelector(".tried");
    if (!told) return; // its field is not shown any more
    const dataset = location.pathname.match(/dataset\/(\d+)/)[1];
    htmx.ajax("GET", `/workshop/dataset/${dataset}/try`, {
      values: { expression: target.value },
      target: told,
      swap: "innerHTML",
    });
  }, 400);
});
