// Bringing in a file: rows are checked and put in a stretch at a time, with progress, and a stop between two stretches.

import { posted } from "./posting.js";

const room = document.getElementById("bring-in");
let going = false;

async function run(button) {
  const { run: what } = button.dataset;
  const line = button.closest("p");
  const [bar, said, stop] = [`[data-progress]`, "[data-said]", "[data-stop]"].map((part) => line.querySelector(part));
  going = true;
  button.hidden = true;
  stop.hidden = bar.hidden = false;
  stop.focus();
  while (going) {
    const response = await posted(`${room.dataset.at}bring-in/${what}`, {}).catch(() => null);
    if (!response?.ok) {
      said.textContent = response
        ? enlaceWords(await response.text())
        : "Enlace can't be reached just now. Go on in a moment; what was done is kept.";
      said.classList.add("wrong");
      button.hidden = false;
      stop.hidden = true;
      return;
    }
    const { done, of } = await response.json();
    bar.value = done;
    said.textContent = `${done.toLocaleString("en")} of ${of.toLocaleString("en")}`;
    if (done >= of) break;
  }
  location.reload();
}

room.addEventListener("click", ({ target }) => {
  const button = target.closest("[data-run]");
  if (button) run(button);
  if (target.closest("[data-stop]")) going = false;
});
room.addEventListener("submit", async (event) => {
  const form = event.target.closest("[data-mend]");
  if (!form) return;
  event.preventDefault();
  // Only what was changed: an editor may show the ends of lines in another way than the file has them.
  const editors = [...form.querySelectorAll("input, textarea")];
  const changed = editors.filter(({ value, defaultValue }) => value !== defaultValue);
  const data = { ...Object.fromEntries(changed.map(({ name, value }) => [name, value])), row: form.dataset.mend };
  if (event.submitter?.name === "alike") data.alike = "1";
  const response = await posted(`${room.dataset.at}bring-in/mend`, data).catch(() => null);
  if (!response)
    return enlaceSay("Enlace can't be reached just now. What you typed stands here; press again in a moment.", true);
  const html = await response.text();
  if (!response.ok) return enlaceSay(enlaceWords(html), true);
  if (response.headers.get("X-Checked")) return location.assign(`${location.pathname}?check=1`);
  const before = [...document.querySelectorAll("[data-mend]")].indexOf(form);
  document.getElementById("faults").innerHTML = html;
  const left = document.querySelectorAll("[data-mend]");
  const next = left[Math.min(before, left.length - 1)];
  (next?.querySelector("[aria-invalid]") || document.querySelector("[data-run]"))?.focus();
  const button = document.querySelector('[data-run="put-in"]');
  const { sound } = document.querySelector("#faults [data-sound]").dataset;
  if (button) button.textContent = `Put the ${sound} sound row${sound === "1" ? "" : "s"} into the draft`;
  if (!left.length) location.reload();
});
// Put into all rows that say so: they are checked again at once.
if (new URLSearchParams(location.search).has("check")) {
  history.replaceState(null, "", location.pathname);
  document.querySelector("[data-run=check]")?.click();
}
// Where columns go is kept as soon as it is chosen, so that nothing is checked against what was meant before.
document.getElementById("mapping")?.addEventListener("change", ({ currentTarget }) => {
  currentTarget.querySelector("[value=map]").click();
});
