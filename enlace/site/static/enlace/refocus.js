// Fragments replace rows and buttons; the focus must not get lost with them.

import { FIRST } from "./deskkeys.js";
import { renewRow } from "./renewrow.js";

const PLACES = [".settle", ".panel"];

export function refocus(desk, sources) {
  let last = null;
  let outside = null; // what had it last outside of dialogs
  let within = ""; // where it was: what is taken off the page tells that no more
  document.addEventListener("focusin", ({ target }) => {
    last = target;
    within = PLACES.find((place) => target.closest(place)) ?? "";
    if (!target.closest("dialog")) outside = target;
  });
  // A dialog gives the focus back to where it was: where that came anew meanwhile, to what stands in its place.
  document.addEventListener(
    "close",
    ({ target }) => {
      const { activeElement } = document;
      if (activeElement !== document.body && !target.contains(activeElement)) return;
      activeElement.blur(); // it is hidden, which the browser finds out later
      last = outside;
      again();
    },
    true,
  );
  document.addEventListener("htmx:oobBeforeSwap", ({ detail }) => {
    const { target, fragment } = detail;
    if (rowRenewed(target, fragment.querySelector?.(".record") || fragment)) detail.shouldSwap = false;
  });
  document.addEventListener("enlace:part", (event) => {
    if (rowRenewed(event.target, event.detail)) event.preventDefault();
  });
  /** Renew a row of a grid; whether it is one. */
  function rowRenewed(row, made) {
    if (!row?.matches?.("[data-rows] > .record") || !made.matches?.(".record")) return false;
    const source = sources.of(row);
    renewRow(row, made, source.gridOf(row.closest("enlace-grid"))?.editing);
    for (const grid of source.grids) grid.mark();
    return true;
  }
  new MutationObserver(again).observe(desk, { childList: true, subtree: true });
  function again() {
    if (document.activeElement !== document.body || !last || document.contains(last)) return;
    const there = last.id && document.getElementById(last.id);
    const mark = /^[a-z][a-z0-9_]*--/; // in front of every id of a source beside the main one
    const p = last.id?.match(mark)?.[0] || last.closest?.("[id]")?.id.match(mark)?.[0] || "";
    const source = sources.by(p);
    if (there && !there.disabled) there.focus();
    else if (last.matches?.('[role="gridcell"], .record *')) source.grid?.focus();
    else if (last.closest?.(".rail")) source.el("go-number")?.focus();
    else if (last.closest?.("#strip")) {
      // After a save or a discard people go on with the records.
      const next = document.querySelector("#strip button:not(:disabled)");
      if (next) next.focus();
      else if (source.grid) source.grid.focus();
      else document.querySelector(FIRST)?.focus();
    }
    // What is settled is saved next; who was among the editors goes on with those of the record that is there now.
    else if (within) {
      const save = within === ".settle" && document.getElementById("act-save");
      (save || source.panel?.querySelector(FIRST) || source.el("go-number"))?.focus();
    }
    for (const grid of source.grids) grid.mark();
  }
}
