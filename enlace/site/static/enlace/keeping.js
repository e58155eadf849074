// The boxes above a grid with what is kept by name: views (what was asked for) and arrangements (how the grid stands).

import { arrange } from "./columns.js";
import { pathOf } from "./fragment.js";
import { closeBox, openBox } from "./openbox.js";
import { posted, textOf } from "./posting.js";

/** sourceOf(element): the source that it belongs to. ask(source, path): the text of an answer, null where it is an error. */
export function keeping(sourceOf, ask) {
  const path = (source, which) => (which === "arrangements" ? pathOf(which, source.grid) : which);

  const boxOf = (button) => button.closest("[data-sentence]").querySelector(`[data-kept-box="${button.dataset.kept}"]`);
  const buttonOf = (box) => box.closest("[data-sentence]").querySelector(`[data-kept="${box.dataset.keptBox}"]`);

  async function toggle(button) {
    const which = button.dataset.kept;
    const box = boxOf(button);
    if (!box.hidden) return closeBox(box, button);
    openBox(box, button);
    const source = sourceOf(button);
    const html = await ask(source, path(source, which));
    if (html === null) return closeBox(box, button);
    box.innerHTML = html;
    box.querySelector("a, button, input")?.focus();
  }
  async function send(box, data) {
    const source = sourceOf(box);
    const html = await textOf(posted(source.address(path(source, box.dataset.keptBox)), data));
    if (html === null) return;
    box.innerHTML = html;
    const shared = box.querySelector("[data-kept-address]");
    if (shared) return tellAddress(shared);
    box.querySelector("a, button, input")?.focus();
  }
  /** The address of the page as it stands, with an arrangement of its grids. */
  async function tellAddress(input) {
    const address = new URL(location);
    address.searchParams.set("arranged", input.dataset.keptAddress);
    input.value = address;
    input.select();
    input.focus();
    try {
      await navigator.clipboard.writeText(input.value);
      enlaceSay("The address is on the clipboard.");
    } catch {
      enlaceSay("Copy the address from where it stands.");
    }
  }

  document.addEventListener("click", async ({ target }) => {
    const opens = target.closest("button[data-kept]");
    if (opens) return sourceOf(opens).page.hold(toggle(opens)); // letters would go into the cell that one stands on
    const box = target.closest("[data-kept-box]");
    const button = box && target.closest("button");
    if (!button) return;
    const { keptRemove, keptPut } = button.dataset;
    if (keptRemove) return send(box, { remove: keptRemove });
    if ("keptShare" in button.dataset) return send(box, { share: 1 });
    if ("keptForAll" in button.dataset) return send(box, { for_all: 1 });
    if ("keptKeep" in button.dataset) {
      const shared = box.querySelector("[data-kept-shared]")?.checked ? 1 : "";
      return send(box, { name: box.querySelector("[data-kept-name]").value, shared });
    }
    if (!keptPut) return;
    const source = sourceOf(box);
    await arrange(source, "apply", "", keptPut);
    // The grid came anew, and the button that opened the box with it; where it was refused all is as it was.
    if (!box.isConnected) source.el(`act-${box.dataset.keptBox}`)?.focus();
  });
  document.addEventListener("change", async ({ target }) => {
    const { showColumn } = target.dataset ?? {};
    if (!showColumn) return;
    const source = sourceOf(target);
    const { keptBox } = target.closest("[data-kept-box]").dataset;
    await arrange(source, target.checked ? "show" : "hide", showColumn);
    // The grid came anew, and the box with it: it is open again where it was.
    const button = source.el(`act-${keptBox}`);
    if (!button || button.getAttribute("aria-expanded") === "true") return;
    await toggle(button);
    boxOf(button)
      .querySelector(`[data-show-column="${CSS.escape(showColumn)}"]`)
      ?.focus();
  });
  document.addEventListener("keydown", (event) => {
    const box = event.key === "Escape" && !event.defaultPrevented && event.target.closest?.("[data-kept-box]");
    if (box) closeBox(box, buttonOf(box));
  });
}
