// The widths of a grid's columns, as its page says them: pixels, a + behind those that share what is left of the view.

export const THREAD = 28; // pixels of the gutter, which always stays

/** "100px 80px+" as tracks of a CSS grid, and what they take at least, in pixels. */
export function tracksOf(text) {
  const columns = text.split(" ").filter(Boolean);
  const widths = columns.map(Number.parseFloat);
  const tracks = columns.map((column, i) => (column.endsWith("+") ? `minmax(${widths[i]}px, ${widths[i]}fr)` : column));
  return {
    tracks: [`${THREAD}px`, ...tracks].join(" "),
    least: widths.reduce((sum, width) => sum + width, THREAD),
    widths,
  };
}

/** Tell all rows of a grid its widths; gives them as numbers. The browser shares out what is left, without being asked. */
export function setWidths(scroller, text) {
  const { tracks, least, widths } = tracksOf(text);
  scroller.style.setProperty("--columns", tracks);
  scroller.style.setProperty("--least", `${least}px`);
  return widths;
}
