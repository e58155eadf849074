// Links that are drawn: from a field of a source to a column of a table whose rows are to belong to it.

import { textOf } from "./posting.js";

/** root: the composer. act(name, data): do it. */
export function links(root, act) {
  const box = () => root.querySelector("[data-link-box]");
  const value = (id) => document.getElementById(id)?.value || "";

  /** The columns of the table that was chosen, each with the fields that it can be linked with. */
  async function load() {
    const [source, table] = [value("link-source"), value("link-table")];
    box().replaceChildren();
    draw();
    if (!table) return;
    const asked = new URLSearchParams({ source, table });
    const address = root.querySelector("[data-links]").dataset.links;
    const html = await textOf(fetch(`${address}?${asked}`, { headers: { "HX-Request": "true" } }));
    if (html !== null) box().innerHTML = html;
  }

  function drawn() {
    const lines = [...(box()?.querySelectorAll("[data-link-column]") || [])];
    const pairs = lines.map((line) => [line.dataset.linkColumn, line.querySelector("select").value, line]);
    return pairs.filter(([, field]) => field);
  }

  /** The arcs of what is linked so far, beside the boards. */
  function draw() {
    const boards = root.querySelector(".boards");
    boards?.querySelector(".arcs-drawn")?.remove();
    const pairs = drawn();
    if (!pairs.length) return;
    const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
    svg.setAttribute("class", "arcs arcs-drawn");
    svg.setAttribute("aria-hidden", "true");
    svg.setAttribute("height", boards.scrollHeight);
    const top = boards.getBoundingClientRect().top - boards.scrollTop;
    const middle = (element) => element.getBoundingClientRect().top - top + 12;
    for (const [, field, line] of pairs) {
      const strand = root.querySelector(
        `[data-board="${CSS.escape(value("link-source"))}"] [data-drag="${CSS.escape(field)}"]`,
      );
      if (!strand) continue;
      const [from, to] = [middle(strand), middle(line)];
      const path = document.createElementNS("http://www.w3.org/2000/svg", "path");
      path.setAttribute("d", `M14 ${from} C2 ${from}, 2 ${to}, 14 ${to}`);
      svg.append(path);
    }
    boards.append(svg);
  }

  root.addEventListener("change", ({ target }) => {
    if (target.id === "link-source" || target.id === "link-table") load();
    else if (target.closest("[data-link-column]")) draw();
  });
  root.addEventListener("click", ({ target }) => {
    if (!target.closest("[data-link-make]")) return;
    const pairs = Object.fromEntries(drawn().map(([column, field]) => [column, field]));
    act("link", { source: value("link-source"), table: value("link-table"), pairs: JSON.stringify(pairs) });
  });
  root.addEventListener("dragover", (event) => {
    if (event.target.closest("[data-link-column]")) event.preventDefault();
  });
  root.addEventListener("drop", (event) => {
    const line = event.target.closest("[data-link-column]");
    if (!line) return;
    event.preventDefault();
    let told = {};
    try {
      told = JSON.parse(event.dataTransfer.getData("text/plain"));
    } catch {
      // something from elsewhere was dropped
    }
    const { linkColumns: source } = line.closest("[data-link-columns]").dataset;
    if (!told.field) return enlaceSay("Drag a field from its board onto a column.");
    if (told.source !== source)
      return enlaceSay("That field is of other records. Choose them under “Belongs to” first.");
    line.querySelector("select").value = told.field;
    draw();
  });
}
