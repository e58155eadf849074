// The sheet: rows that fill what is left of the height, and tabs.

/** The heights of a sheet's rows: those that only filling controls stand in share what is left. */
export function rowsOf(places) {
  const last = Math.max(0, ...places.map(({ y, h }) => y + h - 1));
  const rows = [];
  for (let row = 1; row <= last; row++) {
    const here = places.filter(({ y, h }) => y <= row && row < y + h);
    const grows = here.some(({ fill }) => fill);
    rows.push(grows ? "minmax(0, 1fr)" : here.length ? "minmax(min-content, auto)" : "var(--cell)");
  }
  return rows.join(" ");
}

const number = (element, letter) =>
  Number([...element.classList].find((name) => new RegExp(`^${letter}\\d+$`).test(name))?.slice(letter.length) || 1);

export function layOut(root = document) {
  for (const sheet of root.querySelectorAll("[data-sheet]")) {
    const places = [...sheet.children].map((control) => ({
      y: number(control, "y"),
      h: number(control, "high"),
      fill: control.classList.contains("fill"),
    }));
    sheet.style.gridTemplateRows = rowsOf(places);
  }
}
if (typeof document !== "undefined") {
  layOut();
  // Tabs after the pattern of the WAI-ARIA Authoring Practices.
  const open = (tab, focus) => {
    const box = tab.closest("[data-tabs]");
    for (const other of box.querySelectorAll(":scope > [role=tablist] > [role=tab]")) {
      const here = other === tab;
      other.setAttribute("aria-selected", here);
      other.tabIndex = here ? 0 : -1;
      document.getElementById(other.getAttribute("aria-controls")).hidden = !here;
    }
    if (focus) tab.focus();
    window.dispatchEvent(new Event("resize"));
  };
  document.addEventListener("click", ({ target }) => {
    const tab = target.closest("[data-tabs] > [role=tablist] > [role=tab]");
    if (tab) open(tab, false);
  });
  document.addEventListener("keydown", (event) => {
    const tab = event.target.closest?.("[data-tabs] > [role=tablist] > [role=tab]");
    if (!tab) return;
    const tabs = [...tab.parentElement.children];
    const at = tabs.indexOf(tab);
    const to = { ArrowRight: at + 1, ArrowLeft: at - 1, Home: 0, End: tabs.length - 1 }[event.key];
    if (to === undefined) return;
    event.preventDefault();
    open(tabs[(to + tabs.length) % tabs.length], true);
  });
}
