// The query pad: write, run, look, stop; its plan; what was run before.

import { codeEditor } from "./code.js";
import { Grid } from "./grid.js";
import { posted, textOf } from "./posting.js";

const pad = document.getElementById("pad");
const run = document.getElementById("run");
const plan = document.getElementById("plan");
const stop = document.getElementById("stop");
const result = document.getElementById("result");
const sql = document.getElementById("sql");
let name = "";

const STAYS = "Enlace can't be reached just now. What you wrote stays here; try again in a moment.";

async function go(asked = {}) {
  if (run.disabled) return;
  name = String(Date.now());
  const body = new FormData(pad);
  for (const [key, value] of Object.entries({ run: name, ...asked })) body.append(key, value);
  run.disabled = plan.disabled = true;
  stop.disabled = false;
  result.setAttribute("aria-busy", "true");
  const html = await textOf(posted(pad.dataset.run, body), STAYS);
  run.disabled = plan.disabled = false;
  stop.disabled = true;
  result.removeAttribute("aria-busy");
  if (html !== null) show(html, asked);
}

// Values of parameters that are asked for go with what asked for them, a run or a plan.
let asking = {};
function show(html, asked) {
  asking = asked;
  const parts = document.createElement("template");
  parts.innerHTML = html;
  const runs = parts.content.querySelector("#runs");
  runs?.remove();
  if (runs) document.getElementById("runs").replaceWith(runs);
  result.replaceChildren(parts.content);
  const root = result.querySelector("[data-grid]");
  // All its rows are there: the grid has nothing to ask for, and nothing of it can be edited.
  if (root)
    new Grid(root, "", {
      view: "",
      edits: { idle: () => Promise.resolve(), count: 0 },
      moved() {},
      edit: readOnly,
      block: readOnly,
    }).mark();
  result.querySelector("input")?.focus();
}
const readOnly = () => enlaceSay("The rows of a query are for looking at. Keep it as a dataset to edit them.");

run.addEventListener("click", () => go());
plan.addEventListener("click", () => go({ plan: 1 }));
stop.addEventListener("click", async () => {
  const html = await textOf(posted(pad.dataset.stop, { run: name }));
  if (html !== null) enlaceSay(enlaceWords(html));
});
pad.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || !event.target.id.startsWith("given-")) return;
  event.preventDefault();
  go(asking);
});
// A page that is left must not take a query with it that somebody wrote.
const kept = `query ${location.pathname}`;
if (!sql.value) sql.value = sessionStorage.getItem(kept) || "";
sql.addEventListener("input", () => sessionStorage.setItem(kept, sql.value));

async function check(text) {
  const response = await posted(pad.dataset.check, { sql: text }).catch(() => null); // a run tells who is away
  return response?.ok ? (await response.json()).faults : [];
}
result.querySelector("input")?.focus(); // what has to be given before the query can be kept or taken out
const editor = codeEditor(sql, {
  ...JSON.parse(document.getElementById("known").textContent),
  check,
  nonce: pad.dataset.styles,
  keys: [
    {
      key: "Mod-Enter",
      run() {
        go();
        return true;
      },
    },
  ],
});
document.addEventListener("click", ({ target }) => {
  const again = target.closest("[data-again]");
  if (again) editor.put(again.dataset.again);
});
