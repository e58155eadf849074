// What is pressed on a form, and what its controls want.

import { pickDate } from "./besideeditors.js";
import { stopOf } from "./focus.js";
import { LAST, wayTo } from "./source.js";

/** Open the pages of tabs that something lies on. */
export function openPagesOf(element) {
  for (let page = element.closest("[role=tabpanel]"); page; page = page.parentElement.closest("[role=tabpanel]"))
    if (page.hidden) document.getElementById(page.getAttribute("aria-labelledby"))?.click();
}

/** Read all rows of a source anew. */
export function reload(source) {
  for (const grid of source.grids) grid.load();
}

/** Listen to what is pressed; a function that does the act of a button: run(source, { act }). */
export function acts(page) {
  const { sources, choices } = page;
  document.addEventListener("click", (event) => {
    const source = sources.of(event.target);
    const near = (selector) => event.target.closest(selector);
    const by = (id) => document.getElementById(id || "");
    const pick = near("[data-pick]");
    if (pick) pickDate(by(pick.dataset.pick));
    const opens = by(near("[data-open-choices]")?.dataset.openChoices);
    if (opens) {
      opens.focus();
      choices.open ? choices.close() : choices.show(opens, "");
    }
    const empties = by(near("[data-empty-choice]")?.dataset.emptyChoice);
    if (empties) {
      empties.focus();
      empties.value = "";
      delete empties.dataset.choice;
      empties.dispatchEvent(new Event("change", { bubbles: true }));
    }
    if (near("[data-close-groups]")) {
      document.getElementById("groups").replaceChildren();
      sources.of(document.activeElement).grid?.focus();
    }
    const clear = near("[data-clear]");
    if (clear) source.send("picture", { record: source.record, field: clear.dataset.clear });
    const empty = near("[data-empty]");
    if (empty) {
      const { record, position } = source.panel.dataset;
      source.send("empty", { record, position, field: empty.dataset.empty, to: empty.dataset.to });
    }
    if (event.target.id === `${source.p}read-anew`) {
      source.move(`record?record=${encodeURIComponent(source.record)}&anew=1`);
      reload(source);
    }
  });
  // What controls want.
  const wants = (name, act) =>
    document.addEventListener(`wants:${name}`, ({ target, detail }) => act(sources.of(target), detail));
  wants("go", (source, { position, number, step }) => {
    if (step !== undefined) return source.step(step);
    return number === undefined ? source.goTo(position) : source.move(`at?number=${encodeURIComponent(number)}`);
  });
  // Beyond what a control shows: what is pressed behind it is for what it shows by then.
  wants("beyond", (source, { position }) => page.hold(source.goTo(position).then(() => source.renewed)));
  wants("record", (source, { id, position }) => source.move(wayTo(id, position), 0, Number(position)));
  wants("fold", (source, data) => source.fold(data));
  wants("refresh", (source) => refresh(source));
  // A page of tabs is open: what nobody asked for before is now.
  wants("opened", () => {
    for (const source of sources) if (source.unread && !source.closed) page.hold(source.read());
  });
  wants("renew", (source, { id }) => {
    source.renewed = source.renew(id);
  });
  wants("join", (source, { joined }) => joined(source, choices));
  wants("filter", (source, { button }) => openFilter(source, button));
  wants("run", (source, asked) => run(source, asked));
  wants("arrange", async (source, { asked, back }) => {
    await source.arrange(asked);
    if (!back) return;
    const box = document.getElementById(back);
    if (box?.checkVisibility()) box.focus();
    else source.grid?.focus(); // boxes that say nothing are put away
  });
  function refresh(source) {
    source.move(`at?position=${source.position ?? 0}&anew=1`);
    reload(source);
  }
  /** The act of a button on the sheet. */
  function run(source, { act, action, to }) {
    const press = (id) => document.getElementById(id)?.click();
    if (act === "next" || act === "back") return source.step(act === "next" ? 1 : -1);
    if (act === "first" || act === "last") return source.goTo(act === "first" ? 0 : LAST);
    if (act === "refresh") return refresh(source);
    if (act === "go") return goToControl(to);
    if (act === "close")
      return page.settled().then(() => location.assign(document.querySelector("[data-way-back]")?.href || "/desk/"));
    if (act === "print") return page.settled().then(() => window.print());
    if (act === "action") return press(`${source.p}action-${action}`);
    if (act === "new" || act === "remove") {
      if (source.el(`act-${act}`)) return press(`${source.p}act-${act}`);
      return page.settled().then(() => withRecord(source, act));
    }
    if (act === "rehearse") return page.settled().then(() => document.getElementById("rehearse")?.requestSubmit());
    if (document.getElementById(`act-${act}`)) return press(`act-${act}`);
    enlaceSay("Nothing is pending.");
  }
  async function withRecord(source, act) {
    const data = { record: source.record ?? "", position: source.position };
    const sure = act === "new" || (await enlaceAsk("Remove this record? It stays in view until you save.", "Remove"));
    if (sure) source.send(act, data);
  }
  /** The first thing of a control that can be used; its page of tabs is opened first. */
  function goToControl(id) {
    const control = document.querySelector(`[data-control="${CSS.escape(id)}"]`);
    if (!control) return enlaceSay("That control is not on the sheet any more.");
    openPagesOf(control);
    page.underWay.arrived().then(() => (stopOf(control) || control).focus());
  }
  document.addEventListener("submit", (event) => {
    if (event.target.id === "rehearse" && page.underWay.busy) {
      event.preventDefault();
      page.settled().then(() => document.getElementById("rehearse")?.submit());
    }
  });
  function openFilter(source, button) {
    const boxes = source.el("filters");
    if (!boxes) return;
    const shown = boxes.hidden;
    boxes.hidden = !shown;
    source.el("filter").hidden = !shown;
    button.setAttribute("aria-expanded", shown);
    source.grids[0].measure();
    if (shown) boxes.querySelector("input").focus();
  }
  return run;
}
