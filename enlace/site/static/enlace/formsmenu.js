// The menu of the project's forms: what stands in it is asked for when somebody opens it.

import { textOf } from "./posting.js";

export function formsMenu(menu) {
  const list = menu.querySelector("nav");
  const opened = async () => {
    if (!menu.open) return;
    if (!list.childElementCount) {
      const html = await textOf(fetch(menu.dataset.forms, { headers: { "HX-Request": "true" } }));
      if (html === null) {
        menu.open = false;
        return;
      }
      list.innerHTML = html;
    }
    list.querySelector("a:not([aria-current])")?.focus();
  };
  menu.addEventListener("toggle", opened);
  opened(); // somebody may have opened it before this script came
  const close = () => {
    menu.open = false;
  };
  menu.addEventListener("keydown", (event) => {
    if (event.key !== "Escape" || !menu.open) return;
    event.preventDefault();
    close();
    menu.querySelector("summary").focus();
  });
  menu.addEventListener("focusout", ({ relatedTarget }) => relatedTarget && !menu.contains(relatedTarget) && close());
  document.addEventListener("click", ({ target }) => menu.contains(target) || close());
}
