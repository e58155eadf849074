// What was typed goes to the server in order, one at a time, and is sent again until the server has it. What Enlace
// answers and can't take, while the database is away or locked, is set aside: it is told, holds nothing else back, and is
// sent again until it is taken or dropped.

import { patch } from "./patch.js";
import { formOf, posted } from "./posting.js";
import { heard } from "./reach.js";

const RETRY = 2000;
const STAYS = "What you typed stays here and is sent as soon as it is back.";
const SIGNED_OUT =
  "You are not signed in any more. What you typed is kept: sign in again in another tab, and it is sent.";
const LOCKED = "The database asks for its password again. Give it in another tab.";

const tell = (name, detail) => document.dispatchEvent(new CustomEvent(name, { detail }));

/** Rows and grids go to their source as they are: the templates of an answer that hold them, taken out of it. */
function wholes(parts) {
  const templates = [
    ...parts.querySelectorAll("template[data-source], template[data-grid-of], template[data-rows-of]"),
  ];
  for (const template of templates) template.remove();
  return templates;
}
function grids(templates) {
  for (const template of templates)
    if ("gridOf" in template.dataset) tell("enlace:grid", { p: template.dataset.gridOf, html: template.innerHTML });
}
function stands(templates) {
  const rows = templates.filter(({ dataset }) => "rowsOf" in dataset);
  const further = Object.fromEntries(rows.map((template) => [template.dataset.rowsOf, template.innerHTML]));
  for (const template of templates)
    if ("source" in template.dataset)
      tell("enlace:source", { told: JSON.parse(template.dataset.detail), rows: template.innerHTML, further });
}
// Buttons ask by themselves; what their answers hold for sources is told all the same, once htmx has put in the rest.
function buttonAnswered({ target: { responseText } }) {
  if (!responseText.includes("<template data-")) return;
  const parts = document.createElement("template");
  parts.innerHTML = responseText;
  const templates = wholes(parts.content);
  grids(templates);
  stands(templates);
}
document.addEventListener("htmx:beforeRequest", ({ detail }) => detail.xhr.addEventListener("load", buttonAnswered));

/** Put an answer's fragments where they belong and tell the page its events. without: a fragment to leave out. */
export function apply(html, response, without = null) {
  const parts = document.createElement("template");
  parts.innerHTML = html;
  if (without) parts.content.querySelector(without)?.remove();
  const whole = wholes(parts.content);
  for (const part of parts.content.querySelectorAll("[hx-swap-oob]")) {
    const there = document.getElementById(part.id);
    // What the page does not show any more, a row scrolled away, a note of another record, needs no replacing.
    if (there?.dispatchEvent(new CustomEvent("enlace:part", { bubbles: true, cancelable: true, detail: part })))
      patch(there, part);
  }
  const events = JSON.parse(response.headers.get("HX-Trigger") || "{}");
  const more = [...parts.content.querySelectorAll("template[data-event]")].map(({ dataset }) => dataset);
  if (!("enlace:said" in events)) document.getElementById("said").classList.remove("shown"); // what was said is over
  grids(whole);
  for (const [name, detail] of Object.entries(events)) tell(name, detail);
  for (const { event, detail } of more) tell(event, JSON.parse(detail)); // one of a name for each source
  stands(whole);
}

/** Take the token of a session that began after this page was made; whether there is one. */
async function renew() {
  const page = await fetch(location.href);
  if (page.redirected) return false;
  const body = new DOMParser().parseFromString(await page.text(), "text/html").body;
  if (!body.hasAttribute("hx-headers")) return false;
  document.body.setAttribute("hx-headers", body.getAttribute("hx-headers"));
  return true;
}

/** Tell the sentence of an answer that is an error; the sentence. */
export async function complain(response) {
  const words = response.redirected
    ? SIGNED_OUT
    : response.status === 401
      ? LOCKED
      : enlaceWords(await response.text());
  enlaceSay(words, true);
  return words;
}

export class Edits {
  constructor() {
    this.queue = [];
    this.aside = []; // what could not be sent; see `list`
    this.count = 0; // how many were ever sent: an answer asked for before the newest one is out of date
    this.running = null;
    window.addEventListener("beforeunload", (event) => {
      if (this.away || this.aside.length) event.preventDefault();
    });
    document.getElementById("unsent")?.addEventListener("click", ({ target }) => {
      const { act } = target.dataset;
      if (act === "drop") this.drop();
    });
    setInterval(() => !this.running && this.aside.length && this.queued(...this.aside.splice(0)), RETRY);
  }

  get busy() {
    return this.running !== null;
  }

  /** Resolves when everything is sent. */
  idle() {
    return this.running || Promise.resolve();
  }

  /** address: where it goes. act: what it does. data: of the request. source: whose record it is about. */
  send(address, act, data, source) {
    const same = (sent) => sent.source === source && sent.data.record === data.record && sent.data.field === data.field;
    if (data.field) this.aside = this.aside.filter((sent) => !same(sent)); // what is typed now is meant instead
    this.list();
    return this.queued({ address, act, body: formOf(data), data, source });
  }

  queued(...several) {
    this.queue.push(...several);
    this.count += several.length;
    this.running ||= this.run().finally(() => (this.running = null));
    return this.running;
  }

  async run() {
    while (this.queue.length) {
      const sent = this.queue[0];
      const why = await this.post(sent);
      if (why === null) await new Promise((later) => setTimeout(later, RETRY));
      else this.queue.shift();
      if (why) this.aside.push({ ...sent, why });
      if (why && !sent.why) enlaceSay(`${why} ${STAYS}`, true);
      if (sent.why || why) this.list();
      if (sent.why && why === "" && !this.aside.length) enlaceSay("What you typed has been kept.");
    }
  }

  /** "": it is settled; null: Enlace itself can't be reached; else why it can't be taken now. */
  async post({ address, body }) {
    let response;
    try {
      response = await heard(posted(address, body), { told: `The database has not answered yet. ${STAYS}` });
      if ([502, 504].includes(response.status)) return this.unreachable();
      if (response.redirected || response.status === 403) {
        // Signed out meanwhile: all that was typed waits until the person has signed in, in any tab. Or the session is
        // another one by now, and this page's token is taken anew; or it is refused for good.
        if (await renew()) return enlaceWords(await response.text());
        enlaceSay(SIGNED_OUT, true);
        return null;
      }
      if (response.status === 503 || response.status === 401) {
        return response.status === 401 ? LOCKED : enlaceWords(await response.text());
      }
      if (this.away) {
        this.away = false;
        enlaceSay("Enlace is back. What you typed has been kept.");
      }
      const text = await response.text();
      if (response.ok) apply(text, response);
      else enlaceSay(enlaceWords(text), true);
      return "";
    } catch {
      return this.unreachable();
    }
  }

  unreachable() {
    this.away = true;
    enlaceSay(`Enlace can't be reached just now. ${STAYS}`, true);
    return null;
  }

  /** Tell what could not be sent, beside the draft, until it is sent or dropped. */
  list() {
    const box = document.getElementById("unsent");
    if (!box) return;
    box.hidden = !this.aside.length;
    const lines = this.aside.map(({ data, why, source }) => {
      const line = document.createElement("li");
      const editor =
        data.field && document.querySelector(`[data-of="of${source.p}"] [data-field="${CSS.escape(data.field)}"]`);
      const label =
        editor?.id &&
        document
          .querySelector(`label[for="${CSS.escape(editor.id)}"]`)
          ?.textContent.replace("*", "")
          .trim();
      line.textContent = `${label || data.field || "An act"}: “${String(data.value ?? "").slice(0, 80)}” was not taken. ${why}`;
      return line;
    });
    box.querySelector("ul").replaceChildren(...lines);
  }

  drop() {
    this.aside = [];
    this.list();
  }

  /** The page is closing: what is still in an editor goes out with a request that outlives the page. */
  last(address, data) {
    posted(address, data, { keepalive: true });
  }
}
