// The field sheet: what is changed in place goes out at once; the sheet that comes back keeps the focus where it was.

import { codeBoxes } from "./codeboxes.js";
import { Names } from "./names.js";

const codes = () => codeBoxes(document, document.querySelector("[data-styles]").dataset.styles);
document.addEventListener("DOMContentLoaded", codes);

const sheet = () => document.getElementById("sheet");
const names = new Names();

function columns() {
  const strip = document.querySelector(".strip-rows");
  strip?.style.setProperty("--columns", strip.dataset.columns);
  const open = document.getElementById("field-properties")?.dataset.open;
  const head = open && strip?.querySelector(`[data-pk="${open}"]`);
  if (head) strip.scrollLeft = head.offsetLeft - 200;
}
columns();

document.addEventListener("change", ({ target }) => {
  if (!target.dataset?.property || !sheet().contains(target)) return;
  const value = target.type === "checkbox" ? (target.checked ? "yes" : "") : target.value;
  const open = document.getElementById("field-properties")?.dataset.open === target.dataset.field ? "1" : "";
  sheet().dataset.typed = JSON.stringify({ id: target.id, value });
  htmx.ajax("POST", `/workshop/field/${target.dataset.field}/set`, {
    values: { property: target.dataset.property, value, open },
    target: "#sheet",
    swap: "outerHTML",
  });
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
    const told = target.parentElement.querySelector(".tried");
    const dataset = location.pathname.match(/dataset\/(\d+)/)[1];
    htmx.ajax("GET", `/workshop/dataset/${dataset}/try`, {
      values: { expression: target.value },
      target: told,
      swap: "innerHTML",
    });
  }, 400);
});

let back = null;
let refused = null;
document.addEventListener("htmx:beforeSwap", ({ detail }) => {
  if (detail.target.id !== "sheet") return;
  back = document.activeElement?.id || null;
  if (document.activeElement?.closest(".cm-editor")) document.activeElement.blur(); // what is in it is sent first
  refused = sheet().dataset.typed ? JSON.parse(sheet().dataset.typed) : null;
});
document.addEventListener("htmx:afterSettle", async () => {
  columns();
  const [wanted, wrong] = [back, refused];
  [back, refused] = [null, null];
  const told = document.getElementById("sheet-told");
  if (told && wrong) {
    // What was refused stays as it was typed, to be corrected.
    const editor = document.getElementById(wrong.id);
    if (editor && editor.type !== "checkbox") editor.value = wrong.value;
    editor?.setAttribute("aria-invalid", "true");
    enlaceSay(told.textContent, true);
  }
  await codes(); // the focus may have been in one of these
  const again = wanted && document.getElementById(wanted);
  if (again && document.activeElement !== again) again.focus();
});
