// What a person asks a grid for: the sentence above it, the values that occur, and Find.

import { columns } from "./columns.js";
import { Conditions } from "./conditions.js";
import { keeping } from "./keeping.js";
import * as menus from "./menus.js";
import { textOf } from "./posting.js";
import { rowHeight } from "./rowheight.js";
import { sentenceParts } from "./sentenceparts.js";

const PAUSE = 250;
const headers = { "HX-Request": "true" };
const folded = (text) => text.normalize("NFD").replace(/\p{M}/gu, "").toLowerCase();

/** sourceOf(element): the source that an element belongs to. */
export function asking(sourceOf) {
  const built = new WeakMap(); // by the box that they are drawn in
  const conditionsOf = (source) => {
    const box = document.querySelector(`[data-of="of${source.p}"] [data-asks]`);
    if (!box) return null;
    if (!built.has(box)) built.set(box, made(box, source));
    return built.get(box);
  };
  const made = (box, source) =>
    new Conditions(
      box,
      (asked) => source.arrange(asked),
      async () => {
        const text = await ask(source, "reach");
        return text && JSON.parse(text).fields;
      },
    );
  const ask = (source, path) => textOf(fetch(source.address(path), { headers }));

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
      const source = sourceOf(event.target);
      const conditions = conditionsOf(source);
      if (conditions) conditions.open ? conditions.close() : source.page.hold(conditions.show());
    }
  });

  // -- rows by what a cell holds ---------------------------------------------------------------------------

  const byCell = (source, field, test) => source.page.hold(byValue(source, field, test));

  async function byValue(source, field, test) {
    const record = source.standing;
    if (!record) return enlaceSay("There is no record to take the value of.");
    const text = await ask(source, `exactly?${new URLSearchParams({ field, record })}`);
    if (text) conditionsOf(source)?.apply({ field, test, values: [JSON.parse(text).value] });
  }

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
    let by = ""; // of dates: by year, month or day
    let asked = 0;
    const load = async () => {
      asked += 1;
      const mine = asked;
      box.textContent = "Counting …";
      const html = await ask(source, `values?${new URLSearchParams({ field, typed: search.value, by })}`);
      if (!root.isConnected || mine !== asked) return; // another one is asked for by now
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
    const range = () => ["from", "to"].map((end) => box.querySelector(`[data-range-${end}]`));
    root.addEventListener("click", (event) => {
      const bar = event.target.closest("[data-bar]");
      if (bar) {
        const [from, to] = range();
        from.value = bar.dataset.from;
        to.value = bar.dataset.to;
      }
      const button = event.target.closest("button");
      if (!button) return;
      if (button.dataset.span) {
        by = button.dataset.span;
        return load().then(() => box.querySelector(`[data-span="${by}"]`)?.focus());
      }
      if ("rangeShow" in button.dataset) {
        const [from, to] = range().map((input) => input.value.trim());
        if (!from && !to) return enlaceSay("Type a number first, or press a bar.");
        const test = from && to ? "between" : from ? "at least" : "at most";
        menus.closeMenu(true);
        return conditionsOf(source)?.apply({ field, test, values: [from, to].filter(Boolean) });
      }
      const values = [...chosen.keys()];
      if ("close" in button.dataset) return menus.closeMenu(true);
      if (!values.length) return enlaceSay("Tick the values first.");
      menus.closeMenu(true);
      conditionsOf(source)?.apply({ field, test: "without" in button.dataset ? "not in" : "in", values });
    });
    root.addEventListener("keydown", (event) => {
      if (event.key === "Escape") menus.closeMenu(true);
      else if (event.key === "ArrowDown" && event.target === search) box.querySelector("input")?.focus();
      else return;
      event.preventDefault();
      event.stopPropagation();
    });
    menus.place(root, { head, from: head.querySelector("a, [tabindex]"), source });
    search.focus();
    await load();
    root.style.top = `${Math.min(head.getBoundingClientRect().bottom, innerHeight - root.offsetHeight - 8)}px`;
  }

  keeping(sourceOf, ask);
  columns(sourceOf, { menus, byCell, values: openValues });
  sentenceParts(sourceOf);
  rowHeight(sourceOf);

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
      const found = await looked(source, asked, told, mine);
      if (!found) return;
      const { count, position, sentence, goes } = found;
      told.replaceChildren(sentence || "Not found", ...(count ? [" ", onlyThese(source, text)] : []));
      if (count && goes && position !== source.position) await source.goTo(position);
      mark(source, text);
    } catch (error) {
      if (error.name !== "AbortError") told.textContent = "Enlace can't be reached just now.";
    }
  }
  /** Hide what does not have a text, since somebody asks for that. */
  function onlyThese(source, text) {
    const only = Object.assign(document.createElement("button"), {
      type: "button",
      className: "link",
      textContent: "Only these",
    });
    only.addEventListener("click", async () => {
      await conditionsOf(source)?.apply({ anywhere: text });
      source.grid?.focus();
    });
    return only;
  }
  /** What a search gives; a long one goes on by itself until it has looked at all rows, or somebody stops it. */
  async function looked(source, asked, told, mine) {
    for (;;) {
      const response = await fetch(source.address(`find?${asked}`), { headers, signal: mine.signal });
      if (!response.ok) {
        told.textContent = enlaceWords(await response.text());
        return null;
      }
      const found = await response.json();
      if (!found.left) return found;
      asked.set("at", found.at);
      asked.set("left", found.left);
      const stop = document.createElement("button");
      Object.assign(stop, { type: "button", className: "link", textContent: "Stop" });
      stop.addEventListener("click", () => {
        mine.abort();
        told.textContent = `${found.done}, and stopped.`;
      });
      told.replaceChildren(`${found.done} … `, stop);
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
