// The columns of a grid as a person wants them: what the menu of a heading does, widths by drag, order by drag of a
// heading, and the totals that stand below.

import { noClick } from "./drags.js";
import { textOf } from "./posting.js";
import { namedBy, termOf } from "./terms.js";

const headers = { "HX-Request": "true" };
const TOTALS = {
  count: "Count",
  distinct: "Different values",
  sum: "Sum",
  avg: "Average",
  min: "Least",
  max: "Greatest",
  first: "First",
  last: "Last",
};
const [BY_SIZE, BY_TIME] = [
  ["Smallest first", "Greatest first"],
  ["Earliest first", "Latest first"],
];
const ENDS = {
  whole: BY_SIZE,
  decimal: BY_SIZE,
  date: BY_TIME,
  time: BY_TIME,
  datetime: BY_TIME,
  yesno: ["No first", "Yes first"],
};
const FEW = 5; // hidden columns, that the menu itself offers
const LEAST = 30; // pixels
const MOST = 1000;
const within = (width) => Math.round(Math.min(Math.max(LEAST, width), MOST));
const nameOf = (head) => head.querySelector("a, span")?.firstChild?.textContent.trim() || head.dataset.name;

/** Change one thing of how a grid is arranged. field: a column’s name, or those of several. */
export function arrange(source, act, field, value = "") {
  const { column, which } = source.grid;
  const named =
    Array.isArray(field) && field.length > 1 ? { fields: JSON.stringify(field) } : { field: [field].flat()[0] };
  return source.send("columns", { act, ...named, value, grid: which, record: source.record || "" }).then(() => {
    if (source.grid) source.grid.column = column;
  });
}

/** sourceOf(element): the source that it belongs to. menus: shows a menu. byCell, values: ask for rows by what a cell holds. */
export function columns(sourceOf, { menus, byCell, values }) {
  document.addEventListener("click", ({ target }) => {
    const acts = target.closest(".column-acts");
    if (acts) openMenu(sourceOf(acts), acts.closest("[data-number]"));
  });
  document.addEventListener("keydown", (event) => {
    const opens = (event.key === "F10" && event.shiftKey) || event.key === "ContextMenu";
    const cell = event.target.closest?.("[data-grid] [role=gridcell], [data-grid] .grid-head [data-number]");
    if (!opens || !cell) return;
    event.preventDefault();
    const source = sourceOf(cell);
    const head = cell.matches("[data-number]")
      ? cell
      : source.grid.head.querySelectorAll("[data-number]")[source.grid.column - 1];
    openMenu(source, head, event.target);
  });

  function openMenu(source, head, from = head.querySelector("a, [tabindex]")) {
    const label = nameOf(head);
    menus.show({ label: `Acts of ${label}`, items: itemsOf(source, head, label), head, from, source });
  }
  function itemsOf(source, head, label) {
    const { name } = head.dataset;
    const { dataset } = source.grid.root;
    const act = (what, value) => () => arrange(source, what, name, value);
    const several = chosen(source, head);
    const all = (what, value) => () => arrange(source, what, several, value);
    const each = (words, others) => (several.length > 1 ? others.replace("#", several.length) : words);
    const hidden = JSON.parse(dataset.hiddenColumns || "[]");
    const deeper = (words, items, name = words) => [
      `${words} …`,
      () =>
        menus.show({
          label: `${name} of ${label}`,
          items: items(),
          head,
          from: head.querySelector("a, [tabindex]"),
          source,
        }),
    ];
    return [
      ...orders(source, head),
      ...("mayBeEmpty" in head.dataset ? [deeper("Empty ones", () => empties(source, name))] : []),
      ...groupings(source, name, label),
      ["Only rows with this value", () => byCell(source, name, "in")],
      ["Without this value", () => byCell(source, name, "not in")],
      ["Choose from its values …", () => values(source, name, label, head)],
      ["How many rows of each value", () => count(source, name)],
      ...(head.dataset.totals ? [deeper("Totals below", () => totalsOf(source, head))] : []),
      deeper("Width", () => [
        [each("Wider", "All # wider"), all("width", within(head.offsetWidth * 1.25))],
        [each("Narrower", "All # narrower"), all("width", within(head.offsetWidth * 0.8))],
        ["As wide as its content", act("width", fitted(source, head))],
        [each("As the form has it", "All # as the form has them"), all("width", "")],
        [
          "All columns as wide as their content",
          () =>
            arrange(
              source,
              "widths",
              "",
              heads(source)
                .map((other) => fitted(source, other))
                .join(" "),
            ),
        ],
        ["All columns together as wide as the grid", () => arrange(source, "widths", "", filling(source).join(" "))],
      ]),
      deeper("Place", () => [
        ["One place earlier", act("earlier")],
        ["One place later", act("later")],
        deeper("Swap with", () =>
          heads(source)
            .filter((other) => other !== head)
            .map((other) => [nameOf(other), act("swap", other.dataset.name)]),
        ),
        [each("Stay at the start", "All # stay at the start"), all("pin", "start"), pinned(source, head) === "start"],
        [each("Stay at the end", "All # stay at the end"), all("pin", "end"), pinned(source, head) === "end"],
        [each("Move with the others", "All # move with the others"), all("pin", ""), pinned(source, head) === ""],
      ]),
      deeper(
        "Rows",
        () => [
          ...[1, 2, 3].map((lines) => [
            ["One line each", "Two lines each", "Three lines each"][lines - 1],
            act("lines", lines),
            String(lines) === (dataset.lines || "1"),
          ]),
          ["Stripes on every other row", act("striped", "striped" in dataset ? "" : 1), "striped" in dataset],
          ...[
            ["", "One view of the rows"],
            ["below", "A second view below, which scrolls apart"],
            ["beside", "A second view beside, which scrolls apart"],
          ].map(([split, words]) => [words, act("split", split), split === (dataset.split || "")]),
          [
            "Equal values written once where rows are ordered",
            act("merged", "merged" in dataset ? "" : 1),
            "merged" in dataset,
          ],
        ],
        "Rows of the grid",
      ),
      ...(source.standing?.match(/^[ik]/) && "keeps" in dataset
        ? [
            [
              keepsRow(source) ? "Let this record scroll" : "Keep this record in sight",
              () => arrange(source, "row", source.standing),
            ],
          ]
        : []),
      [
        "New record like this one",
        () => source.send("new", { like: 1, record: source.standing, position: source.position }),
      ],
      [each("Hide this column", "Hide these # columns"), all("hide")],
      ...(hidden.length > FEW
        ? [deeper("Show", () => shows(source, hidden), "Hidden columns")]
        : shows(source, hidden)),
      ...("arranged" in dataset ? [["All as the form has it", () => arrange(source, "reset", "")]] : []),
    ];
  }
  const shows = (source, hidden) =>
    hidden.map(([other, words]) => [`Show ${words}`, () => arrange(source, "show", other)]);
  const keepsRow = (source) => JSON.parse(source.grid.root.dataset.keptRows || "[]").includes(source.standing);
  function orders(source, head) {
    const link = head.querySelector("a");
    if (!link) return [];
    const order = (term) => () => {
      const asked = new URLSearchParams(source.view);
      asked.delete("order");
      asked.append("order", term);
      return source.arrange(asked);
    };
    const [least, greatest] = ("list" in head.dataset ? null : ENDS[head.dataset.kind]) || [
      "From A to Z",
      "From Z to A",
    ];
    return [
      [least, order(termOf(head.dataset.name))],
      [greatest, order(termOf(head.dataset.name, true))],
      ["As one more of the order", () => source.arrange(new URLSearchParams(link.dataset.also))],
    ];
  }
  /** Where the rows go that have no value in a column: a term of the order in front of the column's own. */
  function empties(source, name) {
    const asked = new URLSearchParams(source.view);
    const terms = asked.getAll("order").filter(Boolean);
    const there = terms.find((term) => namedBy(term) === `${name}:empty`);
    const [before, behind] = [true, false].map((down) => termOf(`${name}:empty`, down));
    const placed = (term) => () => {
      const rest = terms.filter((other) => other !== there);
      if (term && !rest.some((other) => namedBy(other) === name)) rest.push(termOf(name));
      const at = rest.findIndex((other) => namedBy(other) === name);
      asked.delete("order");
      for (const other of !term || there === term ? rest : rest.toSpliced(at, 0, term)) asked.append("order", other);
      return source.arrange(asked);
    };
    return [
      ["First, before all others", placed(before), there === before],
      ["Last, behind all others", placed(behind), there === behind],
      ["Where the server puts them", placed(there), there === undefined],
    ];
  }
  /** What rows can be put together by, by a column; or out of the groups that they are in by it. */
  function groupings(source, name, label) {
    const asked = new URLSearchParams(source.view);
    const now = asked.getAll("group");
    const by = (term) => namedBy(term).replace(/:[^:]*$/, "");
    const rest = now.filter((term) => by(term) !== name);
    const grouped = (terms) => () => {
      asked.delete("group");
      for (const term of terms) asked.append("group", term);
      return source.arrange(asked);
    };
    const ways = JSON.parse(source.grid.root.dataset.ways || "{}")[name] || {};
    const offers = Object.entries(ways).map(([way, words]) => [
      `Group by ${words ? `${words} of ` : ""}${label}`,
      grouped([...rest, termOf(`${name}:${way}`)]),
    ]);
    return rest.length < now.length ? [...offers, [`Not in groups by ${label}`, grouped(rest)]] : offers;
  }

  // -- totals -------------------------------------------------------------------------------------------------

  function totalsOf(source, head) {
    const { name, totals } = head.dataset;
    const chosen = new Set(JSON.parse(source.grid.root.dataset.totals || "[]").map((total) => total.join(":")));
    return totals
      .split(" ")
      .map((total) => [TOTALS[total], () => arrange(source, "total", name, total), chosen.has(`${name}:${total}`)]);
  }
  async function count(source, name) {
    const html = await textOf(fetch(source.address(`groups?by=${encodeURIComponent(name)}`), { headers }));
    if (html === null) return;
    const box = document.getElementById("groups");
    box.innerHTML = html;
    htmx.process(box);
    box.querySelector("a, button")?.focus();
  }

  /** The columns that an act is for: those of the chosen cells, where the heading is one of theirs; else it alone. */
  function chosen(source, head) {
    const all = heads(source);
    const { left, right } = source.grid.chosen.range || { left: 0, right: 0 };
    const at = all.indexOf(head) + 1;
    const several = at >= left && at <= right ? all.slice(left - 1, right) : [head];
    return several.map((other) => other.dataset.name);
  }

  // -- places and widths --------------------------------------------------------------------------------------

  const heads = (source) => [...source.grid.head.querySelectorAll("[data-number]")];
  function pinned(source, head) {
    const { pinnedStart = 0, pinnedEnd = 0 } = source.grid.root.dataset;
    const all = heads(source);
    const at = all.indexOf(head);
    if (at < Number(pinnedStart)) return "start";
    return at >= all.length - Number(pinnedEnd) ? "end" : "";
  }
  /** How wide a column has to be for what the page shows of it. */
  function fitted(source, head) {
    const at = [...head.parentElement.children].indexOf(head);
    const cells = [head, ...[...source.grid.rows.children].map((row) => row.children[at])].filter(Boolean);
    const range = document.createRange();
    const width = (cell) => {
      range.selectNodeContents(cell.querySelector("a") || cell);
      return range.getBoundingClientRect().width;
    };
    return Math.min(Math.max(40, Math.ceil(Math.max(...cells.map(width)) + 24)), 800);
  }
  /** The widths with which the columns fill the view, each with its share. */
  function filling(source) {
    const widths = heads(source).map((head) => head.offsetWidth);
    const share = (source.grid.scroller.clientWidth - 28) / widths.reduce((sum, width) => sum + width, 0);
    return widths.map((width) => Math.floor(Math.min(Math.max(LEAST, width * share), MOST)));
  }

  // By its edge a heading is made wider, by the rest of it moved to another place; in the sentence it is one more of the order.
  const AT_EDGE = 6;
  const FAR = 8; // pixels until a press is a drag
  let drag = null;
  const headAt = ({ target }) => target.closest?.("[data-grid] .grid-head [data-number]");
  const sentenceAt = ({ target }) => target.closest?.("[data-sentence]");
  const atEdge = (head, event) => event.clientX > head.getBoundingClientRect().right - AT_EDGE;
  document.addEventListener("pointerdown", (event) => {
    const head = headAt(event);
    if (!head || event.button || event.target.closest(".column-acts, input")) return;
    drag = { head, source: sourceOf(head), from: event.clientX, width: head.offsetWidth, edge: atEdge(head, event) };
    if (drag.edge) event.preventDefault();
  });
  document.addEventListener("dragstart", (event) => headAt(event) && event.preventDefault()); // a heading is a link
  document.addEventListener("pointermove", (event) => {
    const over = headAt(event);
    if (over) over.classList.toggle("at-edge", atEdge(over, event));
    if (!drag) return;
    if (drag.edge) drag.head.style.boxShadow = "inset -3px 0 0 var(--copper)";
    else if (Math.abs(event.clientX - drag.from) > FAR) {
      drag.going = true;
      for (const head of heads(drag.source)) head.classList.toggle("put-before", head === over && head !== drag.head);
      for (const sentence of document.querySelectorAll("[data-sentence]"))
        sentence.classList.toggle("put-before", sentence === sentenceAt(event) && sourceOf(sentence) === drag.source);
    }
  });
  document.addEventListener("pointerup", (event) => {
    if (!drag) return;
    const { head, source, from, width, edge, going } = drag;
    drag = null;
    head.style.boxShadow = "";
    for (const other of document.querySelectorAll(".put-before")) other.classList.remove("put-before");
    if (edge) {
      const wanted = within(width + event.clientX - from);
      if (Math.abs(wanted - width) > 2) arrange(source, "width", head.dataset.name, wanted);
      return;
    }
    const sentence = sentenceAt(event);
    const over = headAt(event) || sentence;
    if (!going || !over || over === head || sourceOf(over) !== source) return;
    noClick();
    const also = head.querySelector("a")?.dataset.also;
    setTimeout(() => {
      if (!sentence) arrange(source, "before", head.dataset.name, over.dataset.name);
      else if (also) source.arrange(new URLSearchParams(also));
    });
  });
}
