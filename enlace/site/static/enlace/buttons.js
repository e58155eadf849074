// What htmx sends for buttons: about which record, when, and after which question.

import { FRAGMENT } from "./source.js";
import { LEADING } from "./underway.js";

export function buttons(page) {
  const { desk, sources, underWay } = page;
  document.addEventListener("htmx:configRequest", ({ detail }) => {
    const source = sources.of(detail.elt);
    detail.parameters.record ??= source.record ?? "";
    detail.parameters.position ??= source.position ?? 0;
    const there = sources.placesNow(source);
    if (there) detail.parameters.places = there;
    detail.path += (detail.path.includes("?") ? "&" : "?") + source.view;
  });
  // An act waits for what is under way: it is about the record that is current when it is pressed.
  document.addEventListener(
    "htmx:confirm",
    (event) => {
      if (!underWay.busy || !desk.contains(event.detail.elt) || event.detail.elt.closest("[data-now]")) return;
      if (event.detail.verb === "get") return;
      event.preventDefault();
      event.stopImmediatePropagation();
      const { elt, triggeringEvent } = event.detail;
      const done = page.settled().then(() => {
        const again = (elt.id && document.getElementById(elt.id)) || elt;
        if (again.matches("form")) again.requestSubmit(triggeringEvent?.submitter);
        else again.click();
      });
      if (elt.matches(LEADING)) page.hold(done);
    },
    true,
  );
  // The question before a removal says what goes with the record; it does not wait for that longer than a moment.
  desk.addEventListener("htmx:confirm", (event) => {
    const { elt } = event.detail;
    if (!elt.id.endsWith("act-remove") || event.defaultPrevented) return;
    event.preventDefault();
    const source = sources.of(elt);
    const asked = fetch(`${source.url}takes?record=${encodeURIComponent(source.record)}&${source.view}`, {
      ...FRAGMENT,
      signal: AbortSignal.timeout(3500),
    });
    asked
      .then((response) => (response.ok ? response.text() : ""))
      .catch(() => "")
      .then((more) => enlaceAsk([elt.dataset.ask, more].filter(Boolean).join(" "), elt.dataset.yes))
      .then((yes) => yes && event.detail.issueRequest(true));
  });
}
