// Bringing in a file: rows are checked and put in a stretch at a time, with progress, and a stop between two stretches. What was
// found in them is drawn anew after each act; all else of the page stays, and so does who works in it.

import { HeldKeys, focusOn } from "./focus.js";
import { posted, textOf } from "./posting.js";
import { Turns } from "./turns.js";

const room = document.getElementById("bring-in");
const at = `${room.dataset.at}bring-in`;
const mapping = document.getElementById("mapping");
const found = () => document.getElementById("found");
const faults = () => [...found().querySelectorAll("[data-mend]")];
const STAYS = "Enlace can't be reached just now. What you did stands here; press again in a moment.";
const turns = new Turns();
// What is pressed behind an act is for what has come of it: for the next faulty row, not for the one that was sent.
const keys = new HeldKeys({
  arrived: () => turns.running,
  waiting: () => false,
  late: "Enlace has not answered yet. What you pressed since then is not done: press it again.",
});
const RESTS = 500; // ms after which somebody has chosen
let resting = null;
let unkept = false; // whether the columns go elsewhere than Enlace knows
let going = false;

/** Do something in its turn, and hold the keys for what comes of it. */
function act(what) {
  const done = turns.take(what);
  keys.until(done);
  return done;
}

/** Draw what was found, where there is an answer. What somebody has begun to type into faulty rows stays. */
function draw(html) {
  if (html === null) return false;
  const begun = faults().flatMap(({ dataset: { mend }, elements }) =>
    [...elements]
      .filter(({ value, defaultValue }) => defaultValue !== undefined && value !== defaultValue)
      .map(({ name, value }) => ({ mend, name, value })),
  );
  const { mend, run } = document.activeElement.closest("[data-mend], [data-run]")?.dataset ?? {};
  const { name } = document.activeElement;
  const parts = document.createElement("template");
  parts.innerHTML = html;
  found().replaceWith(parts.content.querySelector("#found"));
  const row = (number) => faults().find((form) => form.dataset.mend === number);
  for (const { mend: number, name: box, value } of begun) {
    const editor = row(number)?.elements[box];
    if (editor) editor.value = value;
  }
  if (mend) row(mend)?.elements[name]?.focus();
  else if (run) found().querySelector(`[data-run="${run}"]`)?.focus();
  return true;
}

/** Where a person goes on: the first thing that is wrong, or the next step. */
function goOn() {
  focusOn(found().querySelector("[aria-invalid]") ?? found().querySelector("[data-run]:enabled, .told a"));
}

/** Keep where the columns go. Nothing is checked against what was meant before. */
async function keepColumns() {
  unkept = false; // what is chosen from here on is sent again
  const data = new FormData(mapping);
  data.append("act", "map");
  if (!draw(await textOf(posted(at, data), STAYS))) unkept = true;
  else enlaceSay("Kept where the columns go.");
}

/** Keep what was chosen, if anything was. */
function keepChosen() {
  clearTimeout(resting);
  resting = null;
  return unkept ? act(keepColumns) : null;
}

async function run(button) {
  await keepChosen();
  if (unkept) return;
  // Drawn anew since then.
  const { run: what } = button.dataset;
  const line = found().querySelector(`[data-run="${what}"]`)?.closest("p");
  if (!line) return;
  const [bar, said, stop] = ["[data-progress]", "[data-said]", "[data-stop]"].map((part) => line.querySelector(part));
  const again = line.querySelector("[data-run]");
  going = true;
  again.hidden = true;
  stop.hidden = bar.hidden = false;
  stop.focus();
  while (going) {
    const response = await posted(`${at}/${what}`, {}).catch(() => null);
    if (!response?.ok) {
      said.textContent = response
        ? enlaceWords(await response.text())
        : "Enlace can't be reached just now. Go on in a moment; what was done is kept.";
      said.classList.add("wrong");
      again.hidden = false;
      stop.hidden = true;
      again.focus();
      return;
    }
    const { done, of } = await response.json();
    bar.value = done;
    said.textContent = `${done.toLocaleString("en")} of ${of.toLocaleString("en")}`;
    if (done >= of) break;
  }
  const stopped = !going;
  going = false;
  await act(async () => {
    if (!draw(await textOf(fetch(at, { headers: { "HX-Request": "true" } }), STAYS))) return;
    if (stopped) found().querySelector("[data-run]")?.focus();
    else goOn();
  });
}

/** Look at a row again with other texts in it. */
async function mend(form, alike) {
  // Only what was changed: an editor may show the ends of lines in another way than the file has them.
  const editors = [...form.querySelectorAll("input, textarea")];
  const changed = editors.filter(({ value, defaultValue }) => value !== defaultValue);
  const data = { ...Object.fromEntries(changed.map(({ name, value }) => [name, value])), row: form.dataset.mend };
  if (alike) data.alike = "1";
  const before = faults().indexOf(form);
  const text = await textOf(posted(`${at}/mend`, data), STAYS);
  if (text === null) return;
  for (const editor of changed) editor.defaultValue = editor.value; // is nothing begun any more
  draw(text);
  const left = faults();
  const next = left[Math.min(before, left.length - 1)];
  if (next) focusOn(next.querySelector("[aria-invalid]") ?? next.querySelector("input, textarea"));
  else goOn();
}

room.addEventListener("click", ({ target }) => {
  const button = target.closest("[data-run]");
  if (button) run(button);
  if (target.closest("[data-stop]")) going = false;
});
room.addEventListener("submit", async (event) => {
  const form = event.target.closest("[data-mend]");
  if (form) event.preventDefault();
  else if (event.target === mapping) event.preventDefault();
  else return;
  if (!form) return act(keepColumns);
  const alike = event.submitter?.name === "alike";
  await act(() => mend(form, alike));
  // Put into all rows that say so: they are checked again at once.
  const button = alike && found().querySelector("[data-run=check]");
  if (button) run(button);
});
// Where columns go is kept once it is chosen: arrows pass by others, which other columns may go to.
mapping?.addEventListener("change", () => {
  unkept = true;
  clearTimeout(resting);
  resting = setTimeout(keepChosen, RESTS);
});
mapping?.addEventListener("focusout", keepChosen);
