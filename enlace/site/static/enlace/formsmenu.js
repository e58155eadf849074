// The menu of the project's forms: what stands in it is asked for when somebody opens it.

export function formsMenu(menu) {
  const list = menu.querySelector("nav");
  const opened = async () => {
    if (!menu.open) return;
    if (!list.childElementCount) {
      try {
        const response = await fetch(menu.dataset.forms, { headers: { "HX-Request": "true" } });
        const html = await response.text();
        if (!response.ok) return enlaceSay(enlaceWords(html), true);
        list.innerHTML = html;
      } catch {
        menu.open = false;
        return enlaceSay("Enlace can't be reached just now. Try again in a moment.", true);
      }
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
