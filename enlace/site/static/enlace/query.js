// The query pad: run, look, stop.

import { token } from "./edits.js";

const pad = document.getElementById("pad");
const run = document.getElementById("run");
const stop = document.getElementById("stop");
const result = document.getElementById("result");
let name = "";

async function post(address, body) {
  return fetch(address, { method: "POST", body, headers: { "X-CSRFToken": token(), "HX-Request": "true" } });
}

async function go() {
  if (run.disabled) return;
  name = String(Date.now());
  const body = new FormData(pad);
  body.append("run", name);
  run.disabled = true;
  stop.disabled = false;
  result.setAttribute("aria-busy", "true");
  try {
    const response = await post(pad.dataset.run, body);
    const html = await response.text();
    if (response.ok) {
      result.innerHTML = html;
      result.querySelector("input")?.focus();
    } else enlaceSay(enlaceWords(html), true);
  } catch {
    enlaceSay("Enlace can't be reached just now. What you wrote stays here; try again in a moment.", true);
  } finally {
    run.disabled = false;
    stop.disabled = true;
    result.removeAttribute("aria-busy");
  }
}

run.addEventListener("click", go);
stop.addEventListener("click", async () => {
  const body = new FormData();
  body.append("run", name);
  const response = await post(pad.dataset.stop, body);
  enlaceSay(enlaceWords(await response.text()));
});
pad.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || !(event.ctrlKey || event.metaKey || event.target.id.startsWith("given-"))) return;
  event.preventDefault();
  go();
});
// A page that is left must not take a query with it that somebody wrote.
const kept = `query ${location.pathname}`;
const sql = document.getElementById("sql");
if (!sql.value) sql.value = sessionStorage.getItem(kept) || "";
sql.addEventListener("input", () => sessionStorage.setItem(kept, sql.value));
