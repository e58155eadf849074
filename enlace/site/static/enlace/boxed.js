// Acts on many records: asked in a box below the sentence, looked at, then done as one step. Find and replace is one, the
// same values for several records another.

import { closeBox, openBox } from "./openbox.js";
import { posted, textOf } from "./posting.js";

/** sourceOf(element): the source that an element belongs to. */
export function boxed(sourceOf) {
  const headers = { "HX-Request": "true" };
  const boxOf = (button) =>
    button.closest("[data-sentence]").querySelector(`[data-boxed-in="${button.dataset.boxed}"]`);
  const buttonOf = (box) => box.closest("[data-sentence]").querySelector(`[data-boxed="${box.dataset.boxedIn}"]`);
  const nameOf = (element) => element.closest("[data-boxed-in]").dataset.boxedIn;

  async function toggle(button) {
    const box = boxOf(button);
    if (!box.hidden) return closeBox(box, button);
    openBox(box, button);
    const source = sourceOf(button);
    const chosen = "boxedChosen" in button.dataset ? `?${new URLSearchParams(source.grid?.chosen.told ?? {})}` : "";
    await source.page.settled();
    const html = await textOf(fetch(source.address(`${button.dataset.boxed}${chosen}`), { headers }));
    if (html === null) return closeBox(box, button);
    box.innerHTML = html;
    box.querySelector("input:not([type=hidden]):enabled, select, textarea")?.focus();
  }

  /** What is said in a form, with the lines that were chosen from lists. */
  function said(form) {
    const data = Object.fromEntries(new FormData(form));
    for (const { dataset } of form.querySelectorAll("[data-choice]")) data[`choice-${dataset.field}`] = dataset.choice;
    return data;
  }

  async function look(form) {
    const source = sourceOf(form);
    await source.page.settled();
    const html = await textOf(posted(source.address(`${nameOf(form)}/look`), said(form)));
    if (html === null) return;
    form.querySelector("[data-boxed-seen]").innerHTML = html;
    form.querySelector("[data-boxed-run]")?.focus();
  }

  async function run(button) {
    const form = button.closest("form");
    const source = sourceOf(form);
    const box = form.closest("[data-boxed-in]");
    await source.send(`${nameOf(form)}/run`, { ...said(form), record: source.record || "" });
    closeBox(box, buttonOf(box));
    source.grid?.focus();
  }

  document.addEventListener("click", ({ target }) => {
    const asks = target.closest("[data-boxed]");
    if (asks) sourceOf(asks).page.hold(toggle(asks)); // letters would go into the cell that one stands on
    const runs = target.closest("[data-boxed-run]");
    if (runs) run(runs);
  });
  document.addEventListener("submit", (event) => {
    const form = event.target.closest("[data-boxed-form]");
    if (!form) return;
    event.preventDefault();
    look(form);
  });
  document.addEventListener("input", ({ target }) => {
    const form = target.closest?.("[data-boxed-form]");
    // What was looked at is about other words by now.
    form?.querySelector("[data-boxed-seen]").replaceChildren();
    // Whoever types into a field means it.
    const meant =
      form && target.dataset.field && form.querySelector(`[name="${CSS.escape(`take-${target.dataset.field}`)}"]`);
    if (meant) meant.checked = true;
  });
  document.addEventListener("enlace:chosen", ({ target }) => {
    if (target.closest?.("[data-boxed-form]")) target.dispatchEvent(new Event("input", { bubbles: true }));
  });
  document.addEventListener("keydown", (event) => {
    if (event.key !== "Escape" || event.defaultPrevented) return;
    const box = event.target.closest?.("[data-boxed-in]");
    if (box) buttonOf(box).click();
  });
}
