// The sheet: rows that fill what is left of the height.

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
if (typeof document !== "undefined") layOut();
