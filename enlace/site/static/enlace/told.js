// What the server tells the page in events.

import { openPagesOf, reload } from "./acts.js";

const FAULTY = ".field:has(.note:is(.wrong, .missing)) :is(input, select, textarea)";

export function told(page) {
  const { sources } = page;
  const { main } = sources;
  const at = (detail) => sources.by(detail.p);
  document.addEventListener("enlace:draft", ({ detail }) => {
    if (page.revision !== detail.revision) countAnew();
    page.revision = detail.revision;
  });
  document.addEventListener("enlace:saved", countAnew);
  /** What stands below the grids counts the draft in. */
  function countAnew() {
    for (const source of sources) if (!source.empty) for (const grid of source.grids) grid.renewed();
  }
  document.addEventListener("enlace:drift", ({ detail }) => {
    const { panel } = at(detail);
    if (panel?.dataset.record === detail.record) panel.dataset.seen = detail.seen;
  });
  document.addEventListener("enlace:current", ({ detail }) => {
    const source = at(detail);
    source.current(detail);
    if (source !== main) return void (source.unread || page.address.keep({ places: true }));
    const errand = document.querySelector("#errand [name=record]");
    if (errand) errand.value = detail.id;
    const deep = new URL(location).searchParams.has("places");
    page.address.keep({ record: detail.id, ...(deep && { places: true }) });
  });
  document.addEventListener("enlace:total", ({ detail }) => {
    const source = at(detail);
    for (const grid of source.grids) grid.setTotal(detail.total);
    if ("records" in detail) for (const control of source.controls) control.counted?.(detail.records, detail.words);
  });
  document.addEventListener("enlace:passing", ({ detail }) => {
    const place = at(detail).el("sentence")?.querySelector("[data-passing]");
    if (place) place.textContent = `· ${detail.words}`;
  });
  // What the address shared is the person's own arrangement by now.
  document.addEventListener("enlace:adopted", () => {
    for (const source of sources) {
      const view = new URLSearchParams(source.view);
      view.delete("arranged");
      source.view = view.toString();
      for (const grid of source.grids) grid.view = source.view;
    }
    page.address.adopted();
  });
  document.addEventListener("enlace:go", ({ detail }) => location.replace(detail.to));
  document.addEventListener("enlace:stale", ({ detail }) => reload(at(detail)));
  // Once the editors are there and may be typed into; without a number it is the first one with something wrong.
  document.addEventListener("enlace:focus", ({ detail }) => page.hold(focusEditor(at(detail), detail.number)));
  async function focusEditor(source, number) {
    await page.settled();
    if (number !== undefined) return source.el(`e-${number}`)?.focus();
    const shows = source.controls.find((control) => control.matches("[data-kind=panel]")) ?? source.controls[0];
    if (shows) openPagesOf(shows);
    await page.settled();
    const wrong = source.controls.map((control) => control.querySelector(FAULTY)).find(Boolean);
    if (wrong) wrong.focus();
    else source.grid?.focus();
    (wrong ?? source.grid?.root)?.scrollIntoView({ block: "nearest" });
  }
  document.addEventListener("enlace:calculated", ({ detail }) => {
    const source = at(detail);
    if (source.panel?.dataset.record === detail.record) source.showOthers(detail.others);
  });
  document.addEventListener("enlace:noted", ({ detail }) => at(detail).told(detail));
  document.addEventListener("enlace:source", ({ detail: { told, rows, further } }) =>
    sources.all.get(told.p)?.stand(told, rows, further),
  );
  document.addEventListener("enlace:grid", ({ detail }) => {
    const control = document.getElementById(`${detail.p}grid`)?.closest("enlace-grid");
    if (control) sources.of(control).showIn(control, detail.html);
  });
}
