// What stands above a grid and in its headings: the sentence, the acts of a column, the values that occur, and Find.

import { Conditions } from "./conditions.js";
import { posted } from "./posting.js";

const PAUSE = 250;
const headers = { "HX-Request": "true" };
const folded = (text) => text.normalize("NFD").replace(/\p{M}/gu, "").toLowerCase();

/** sourceOf(element): the source that an element belongs to. */
export function asking(sourceOf) {
  const built = new WeakMap(); // by the box that they are drawn in
  const conditionsOf = (source) => {
    const box = document.querySelector(`[data-of="of${source.p}"] [data-asks]`);
    if (!box) return null;
    if (!built.has(box)) built.set(box, new Conditions(box, (asked) => source.arrange(asked)));
    return built.get(box);
  };
  const ask = async (source, path) => {
    const response = await fetch(source.address(path), { headers });
    const text = await response.text();
    if (response.ok) return text;
    enlaceSay(enlaceWords(text), true);
    return null;
  };

  document.addEventListener("click", (event) => {
    const near = (selector) => event.target.closest(selector);
    const link = near('[data-sentence] a[href^="?"]');
    if (link) {
      event.preventDefault();
      const source = sourceOf(link);
      source
        .arrange(new URLSearchParams(link.getAttribute("href").slice(1)))
        .then(() => source.el("act-conditions")?.focus());
    }
    const box = near("[data-edit-box]");
    if (box) {
      const source = sourceOf(box);
      if (source.el("filters")?.hidden) source.el("act-filter")?.click();
      document.getElementById(box.dataset.editBox)?.focus();
    }
    if (near("[data-edit-conditions]")) {
      const conditions = conditionsOf(sourceOf(event.target));
      if (conditions) conditions.open ? conditions.close() : conditions.show();
    }
    const sentence = near("[data-sentence]");
    if (near("[data-kept-views]")) toggleViews(sentence, near("[data-kept-views]"));
    if (near("[data-view-keep]")) {
      const shared = sentence.querySelector("[data-view-shared]")?.checked ? 1 : "";
      sendView(sentence, { name: sentence.querySelector("[data-view-name]").value, shared });
    }
    if (near("[data-view-remove]")) sendView(sentence, { remove: near("[data-view-remove]").dataset.viewRemove });
    const acts = near(".column-acts");
    if (acts) openMenu(sourceOf(acts), acts.closest("[data-number]"));
    else if (!near(".column-menu")) closeMenu();
  });

  // -- views kept by name -------------------------------------------------------------------------------------

  async function toggleViews(sentence, button) {
    const box = sentence.querySelector("[data-views-box]");
    box.hidden = !box.hidden;
    button.setAttribute("aria-expanded", !box.hidden);
    if (box.hidden) return;
    const html = await ask(sourceOf(sentence), "views");
    box.innerHTML = html ?? "";
    box.querySelector("a, input")?.focus();
  }
  async function sendView(sentence, data) {
    const response = await posted(sourceOf(sentence).address("views"), data);
    const html = await response.text();
    if (!response.ok) return enlaceSay(enlaceWords(html), true);
    const box = sentence.querySelector("[data-views-box]");
    box.innerHTML = html;
    box.querySelector("a, input")?.focus();
  }

  // -- the acts of a column --------------------------------------------------------------------------------

  let menu = null;
  function closeMenu(back = false) {
    if (!menu) return;
    const { root, from, source } = menu;
    menu = null;
    root.remove();
    if (!back) return;
    if (from?.isConnected) from.focus();
    else source.grid?.focus(); // its row was drawn anew meanwhile
  }
  function openMenu(source, head, from = head.querySelector("a, [tabindex]")) {
    closeMenu();
    const { name } = head.dataset;
    const label = head.querySelector("a, span")?.firstChild?.textContent || name;
    const order = (term) => () => {
      const asked = new URLSearchParams(source.view);
      asked.delete("order");
      asked.append("order", term);
      return source.arrange(asked);
    };
    const link = head.querySelector("a");
    const items = [
      ...(link
        ? [
            ["Smallest first", order(name)],
            ["Greatest first", order(`-${name}`)],
            ["As one more of the order", () => source.arrange(new URLSearchParams(link.dataset.also))],
          ]
        : []),
      ...groupings(source, name, label),
      [`Only rows with this value`, () => byCell(source, name, "in")],
      [`Without this value`, () => byCell(source, name, "not in")],
      ["Choose from its values …", () => openValues(source, name, label, head)],
      [
        "New record like this one",
        () => source.send("new", { like: 1, record: source.record, position: source.position }),
      ],
      ["Wider", () => arrange(source, "width", name, Math.round(head.offsetWidth * 1.25))],
      ["Narrower", () => arrange(source, "width", name, Math.max(30, Math.round(head.offsetWidth * 0.8)))],
      ["As wide as its content", () => arrange(source, "width", name, fitted(source, head))],
      ["One place earlier", () => arrange(source, "earlier", name)],
      ["One place later", () => arrange(source, "later", name)],
      ...[1, 2, 3]
        .filter((lines) => String(lines) !== (source.grid.root.dataset.lines || "1"))
        .map((lines) => [
          `Rows of ${["one line", "two lines", "three lines"][lines - 1]}`,
          () => arrange(source, "lines", "", lines),
        ]),
      "striped" in source.grid.root.dataset
        ? ["Rows without stripes", () => arrange(source, "striped", "", "")]
        : ["Stripes on every other row", () => arrange(source, "striped", "", 1)],
      ["Hide this column", () => arrange(source, "hide", name)],
      ...hiddenOf(source).map(([hidden, words]) => [`Show ${words}`, () => arrange(source, "show", hidden)]),
      ...("arranged" in source.grid.root.dataset
        ? [["All columns as the form has them", () => arrange(source, "reset", "")]]
        : []),
    ];
    const root = document.createElement("ul");
    root.className = "column-menu";
    root.setAttribute("role", "menu");
    root.setAttribute("aria-label", `Acts of ${label}`);
    for (const [words, act] of items) {
      const item = document.createElement("li");
      item.setAttribute("role", "menuitem");
      item.tabIndex = -1;
      item.textContent = words;
      item.addEventListener("click", () => {
        closeMenu(true);
        act();
      });
      root.append(item);
    }
    root.addEventListener("keydown", (event) => {
      const all = [...root.children];
      const at = all.indexOf(document.activeElement);
      const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: all.length - 1 }[event.key];
      if (to !== undefined) all[(to + all.length) % all.length].focus();
      else if (event.key === "Enter" || event.key === " ") document.activeElement.click();
      else if (event.key === "Escape" || event.key === "Tab") closeMenu(true);
      else return;
      event.preventDefault();
      event.stopPropagation();
    });
    place(root, head);
    menu = { root, from, source };
    root.firstElementChild.focus();
  }
  /** What rows can be put together by, by a column; or out of the groups that they are in by it. */
  function groupings(source, name, label) {
    const asked = new URLSearchParams(source.view);
    const now = asked.getAll("group");
    const by = (term) => term.replace(/^-/, "").replace(/:[^:]*$/, "");
    const rest = now.filter((term) => by(term) !== name);
    const grouped = (terms) => () => {
      asked.delete("group");
      for (const term of terms) asked.append("group", term);
      return source.arrange(asked);
    };
    const ways = JSON.parse(source.grid.root.dataset.ways || "{}")[name] || {};
    const offers = Object.entries(ways).map(([way, words]) => [
      `Group by ${words ? `${words} of ` : ""}${label}`,
      grouped([...rest, `${name}:${way}`]),
    ]);
    return rest.length < now.length ? [...offers, [`Not in groups by ${label}`, grouped(rest)]] : offers;
  }
  function place(root, head) {
    document.getElementById("content").append(root);
    const box = head.getBoundingClientRect();
    root.style.left = `${Math.max(8, Math.min(box.left, innerWidth - root.offsetWidth - 8))}px`;
    root.style.top = `${Math.min(box.bottom, innerHeight - root.offsetHeight - 8)}px`;
  }
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
  async function byCell(source, field, test) {
    if (!source.record) return enlaceSay("There is no record to take the value of.");
    const text = await ask(source, `exactly?${new URLSearchParams({ field, record: source.record })}`);
    if (text) conditionsOf(source)?.apply({ field, test, values: [JSON.parse(text).value] });
  }

  // -- columns as a person wants them -----------------------------------------------------------------------

  const hiddenOf = (source) => JSON.parse(source.grid.root.dataset.hiddenColumns || "[]");
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
  function arrange(source, act, field, value = "") {
    const { column } = source.grid;
    const { which } = source.grid;
    return source.send("columns", { act, field, value, grid: which, record: source.record || "" }).then(() => {
      if (source.grid) source.grid.column = column;
    });
  }
  let edge = null;
  document.addEventListener("pointerdown", (event) => {
    const head = event.target.closest?.("[data-grid] .grid-head [data-number]");
    if (!head || event.clientX < head.getBoundingClientRect().right - 6) return;
    event.preventDefault();
    edge = { head, source: sourceOf(head), from: event.clientX, width: head.offsetWidth };
  });
  document.addEventListener("pointermove", (event) => {
    const head = event.target.closest?.("[data-grid] .grid-head [data-number]");
    if (head) head.classList.toggle("at-edge", event.clientX > head.getBoundingClientRect().right - 6);
    if (edge) edge.head.style.boxShadow = `inset -3px 0 0 var(--copper)`;
  });
  document.addEventListener("pointerup", (event) => {
    if (!edge) return;
    const { head, source, from, width } = edge;
    edge = null;
    head.style.boxShadow = "";
    const wanted = Math.min(Math.max(30, width + event.clientX - from), 1000);
    if (Math.abs(wanted - width) > 2) arrange(source, "width", head.dataset.name, Math.round(wanted));
  });

  // -- the values that occur --------------------------------------------------------------------------------

  async function openValues(source, field, label, head) {
    const root = document.createElement("div");
    root.className = "column-menu column-values";
    root.setAttribute("role", "dialog");
    root.setAttribute("aria-label", `Values of ${label}`);
    root.innerHTML = `<input type="search" class="form-control form-control-sm" maxlength="200" autocomplete="off"><div class="occurring-box"></div><div class="buttons"><button type="button" class="btn btn-sm btn-primary">Show these</button><button type="button" class="btn btn-sm" data-without>Leave these out</button><button type="button" class="btn btn-sm" data-close>Close</button></div>`;
    const search = root.querySelector("input");
    search.placeholder = `Find in ${label}`;
    search.setAttribute("aria-label", `Find in the values of ${label}`);
    const box = root.querySelector(".occurring-box");
    const chosen = new Map();
    const load = async () => {
      box.textContent = "Counting …";
      const html = await ask(source, `values?${new URLSearchParams({ field, typed: search.value })}`);
      if (!root.isConnected) return;
      box.innerHTML = html ?? "";
      for (const tick of box.querySelectorAll("input")) tick.checked = chosen.has(tick.value);
    };
    box.addEventListener("change", ({ target }) =>
      target.checked ? chosen.set(target.value, 1) : chosen.delete(target.value),
    );
    search.addEventListener("input", () => {
      clearTimeout(search.timer);
      search.timer = setTimeout(load, PAUSE);
    });
    root.addEventListener("click", (event) => {
      const button = event.target.closest("button");
      if (!button) return;
      const values = [...chosen.keys()];
      if ("close" in button.dataset) return closeMenu(true);
      if (!values.length) return enlaceSay("Tick the values first.");
      closeMenu(true);
      conditionsOf(source)?.apply({ field, test: "without" in button.dataset ? "not in" : "in", values });
    });
    root.addEventListener("keydown", (event) => {
      if (event.key === "Escape") closeMenu(true);
      else if (event.key === "ArrowDown" && event.target === search) box.querySelector("input")?.focus();
      else return;
      event.preventDefault();
      event.stopPropagation();
    });
    place(root, head);
    menu = { root, from: head.querySelector("a, [tabindex]"), source };
    search.focus();
    await load();
    root.style.top = `${Math.min(head.getBoundingClientRect().bottom, innerHeight - root.offsetHeight - 8)}px`;
  }

  // -- find ---------------------------------------------------------------------------------------------------

  let finding = null;
  async function find(input, { again = false, back = false } = {}) {
    const source = sourceOf(input);
    const told = input.parentElement.querySelector("[data-found]");
    const text = input.value.trim();
    mark(source, text);
    finding?.abort(); // an emptied box too looks for nothing any more
    told.textContent = text ? "Looking …" : "";
    if (!text) return;
    const mine = new AbortController();
    finding = mine;
    await source.moving; // the place to go on from is where the last move leads
    if (mine.signal.aborted) return;
    const asked = new URLSearchParams({
      text,
      position: source.position ?? 0,
      again: again ? 1 : 0,
      back: back ? 1 : 0,
    });
    try {
      const response = await fetch(source.address(`find?${asked}`), { headers, signal: mine.signal });
      if (!response.ok) {
        told.textContent = enlaceWords(await response.text());
        return;
      }
      const { count, which, position, sentence } = await response.json();
      told.textContent = sentence || (count ? `${which} of ${count}` : "Not found");
      if (count && !sentence && position !== source.position) await source.goTo(position);
      mark(source, text);
    } catch (error) {
      if (error.name !== "AbortError") told.textContent = "Enlace can't be reached just now.";
    }
  }
  /** Mark what was found in the cells that are seen, without touching them. */
  function mark(source, text) {
    if (!CSS.highlights || !source.grid) return;
    const wanted = folded(text);
    const ranges = wanted ? source.grids.flatMap((grid) => rangesOf(grid.rows, wanted)) : [];
    CSS.highlights.set("found", new Highlight(...ranges));
  }
  function rangesOf(rows, wanted) {
    const ranges = [];
    const walk = document.createTreeWalker(rows, NodeFilter.SHOW_TEXT);
    while (walk.nextNode()) {
      const at = folded(walk.currentNode.data).indexOf(wanted);
      if (at < 0 || at + wanted.length > walk.currentNode.length) continue;
      const range = new Range();
      range.setStart(walk.currentNode, at);
      range.setEnd(walk.currentNode, at + wanted.length);
      ranges.push(range);
    }
    return ranges;
  }
  document.addEventListener("input", ({ target }) => {
    if (!("findText" in target.dataset)) return;
    clearTimeout(target.timer);
    target.timer = setTimeout(() => find(target), PAUSE);
  });
  document.addEventListener("keydown", (event) => {
    const input = event.target;
    if (!input.dataset || !("findText" in input.dataset)) return;
    if (event.key === "Enter") {
      event.preventDefault();
      clearTimeout(input.timer);
      find(input, { again: true, back: event.shiftKey });
    } else if (event.key === "Escape") {
      input.value = "";
      find(input);
      sourceOf(input).grid?.focus();
    }
  });
}
