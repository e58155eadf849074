// The desk: holds the sources of the page together; what is typed goes out through Edits, in order.

import { acts } from "./acts.js";
import { asking } from "./asking.js";
import { Beforehand } from "./beforehand.js";
import { besideEditors } from "./besideeditors.js";
import { boxed } from "./boxed.js";
import { buttons } from "./buttons.js";
import { Choices } from "./choices.js";
import { DeskAddress } from "./deskaddress.js";
import { DeskKeys } from "./deskkeys.js";
import { Edits } from "./edits.js";
import { HeldKeys } from "./focus.js";
import { formsMenu } from "./formsmenu.js";
import { glimpse } from "./glimpse.js";
import { lacks } from "./lacks.js";
import { pulse } from "./pulse.js";
import { refocus } from "./refocus.js";
import { FRAGMENT } from "./source.js";
import { Sources } from "./sources.js";
import "./sheetpage.js";
import { told } from "./told.js";
import { letterOf } from "./typing.js";
import { UnderWay } from "./underway.js";

const desk = document.getElementById("desk");
/** What all of the page shares. */
const page = {
  desk,
  each: "each" in desk.dataset,
  edits: new Edits(),
  revision: Number(desk.dataset.revision || 0), // of the draft, as the page knows it
  settled: () => page.underWay.settled(),
  source: (part) => page.sources.named(part),
  below: (source) => page.sources.below(source),
  places: (source) => page.sources.placesNow(source),
  hold: (done, event = null) => keys.held.until(done, event),
};
page.choices = new Choices(document.getElementById("choices"), (input) => {
  const source = sourceOf(input);
  return { url: source.url, view: source.view, record: input.dataset.record || source.panel?.dataset.record };
});
page.choices.leave = (address) => page.settled().then(() => location.assign(address));
page.choices.hold = page.hold;
page.beforehand = new Beforehand(
  async (address, signal) => {
    const response = await fetch(address, { ...FRAGMENT, priority: "low", signal });
    if (!response.ok || response.redirected) throw response; // whoever comes for it asks again, and is told
    return { response, html: await response.text() };
  },
  () => page.edits.count,
);
// What buttons do, and what the page hears of other windows, may be about that record as well.
document.addEventListener("htmx:afterRequest", ({ detail: { xhr } }) => xhr.status === 204 || page.beforehand.drop());
page.sources = new Sources(desk.querySelectorAll("[data-source]"), page);
page.underWay = new UnderWay(page);
const { main } = page.sources;
page.address = new DeskAddress(main, (...asked) => page.sources.places(...asked));
formsMenu(desk.querySelector("[data-forms]"));
const sourceOf = (element) => page.sources.of(element);
for (const control of desk.querySelectorAll("enlace-grid")) sourceOf(control).showIn(control);

asking(sourceOf);
boxed(sourceOf);
lacks((element) => sourceOf(element).isEditor(element));
const run = acts(page);
pulse(page);
told(page);
glimpse(desk, page.sources);
refocus(desk, page.sources);
besideEditors(page);
buttons(page);

document.addEventListener("keydown", (event) => {
  if (!(event.ctrlKey || event.metaKey) || event.altKey) return;
  const typing = event.target.matches?.("input:not([type='range']), textarea, select");
  const key = letterOf(event);
  if (key === "S") {
    event.preventDefault();
    const back = document.activeElement;
    back?.blur();
    if ("trying" in desk.dataset) page.settled().then(() => document.getElementById("rehearse")?.requestSubmit());
    else page.settled().then(() => run(main, { act: "save" }));
    back?.focus?.();
  } else if (!typing && (key === "Z" || key === "Y")) {
    event.preventDefault();
    document.getElementById(key === "Z" && !event.shiftKey ? "act-undo" : "act-redo")?.click();
  }
});
const here = () => sourceOf(document.activeElement);
function like(source) {
  const record = source.standing;
  if (!record) return enlaceSay("There is no record to make one like.");
  source.send("new", { like: 1, record, position: source.position });
}
const keys = new DeskKeys(document.getElementById("keys"), {
  here,
  sources: page.sources.all,
  run,
  like,
  held: new HeldKeys({ arrived: () => page.underWay.arrived() }),
});
if ("opensNew" in desk.dataset) main.send("new", { record: main.record ?? "", position: main.position });
document.getElementById("act-keys")?.addEventListener("click", () => keys.list());
desk.dataset.ready = ""; // from here on the page does what is pressed
