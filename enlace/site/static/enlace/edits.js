// What was typed goes to the server in order, one at a time, and is sent again until the server has it.

const RETRY = 2000;

export const token = () => JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];

/** Put an answer's fragments where they belong and tell the page its events. without: a fragment to leave out. */
export function apply(html, response, without = null) {
  const parts = document.createElement("template");
  parts.innerHTML = html;
  if (without) parts.content.querySelector(without)?.remove();
  // What the page does not show any more, a row scrolled away, a note of another record, needs no replacing.
  for (const part of parts.content.querySelectorAll("[hx-swap-oob]")) if (!document.getElementById(part.id)) part.remove();
  htmx.swap("#said", parts.innerHTML, { swapStyle: "none" });
  const events = JSON.parse(response.headers.get("HX-Trigger") || "{}");
  if (!("enlace:said" in events)) document.getElementById("said").classList.remove("shown"); // what was said is over
  for (const [name, detail] of Object.entries(events)) {
    document.dispatchEvent(new CustomEvent(name, { detail }));
  }
}

/** Take the token of a session that began after this page was made. */
async function renew() {
  const page = await fetch(location.href);
  if (page.redirected) return;
  const body = new DOMParser().parseFromString(await page.text(), "text/html").body;
  document.body.setAttribute("hx-headers", body.getAttribute("hx-headers"));
}

/** The sentence of an answer that is an error. */
export async function complain(response) {
  if (response.redirected || response.status === 403) {
    enlaceSay("You are not signed in any more. What you typed is kept: sign in again in another tab, and it is sent.", true);
  } else {
    enlaceSay(enlaceWords(await response.text()), true);
  }
}

export class Edits {
  /** view: the order and the filters of the page, as a query string. */
  constructor(url, view) {
    Object.assign(this, { url, view });
    this.queue = [];
    this.count = 0; // how many were ever sent: an answer asked for before the newest one is out of date
    this.running = null;
    window.addEventListener("beforeunload", (event) => {
      if (this.away) event.preventDefault();
    });
  }

  address(path) {
    return `${this.url}${path}?${this.view}`;
  }

  get busy() {
    return this.running !== null;
  }

  /** Resolves when everything is sent. */
  idle() {
    return this.running || Promise.resolve();
  }

  send(path, data) {
    const body = new FormData();
    for (const [name, value] of Object.entries(data)) if (value !== undefined && value !== null) body.append(name, value);
    this.queue.push({ path, body });
    this.count += 1;
    this.running ||= this.run().finally(() => (this.running = null));
    return this.running;
  }

  async run() {
    while (this.queue.length) {
      if (await this.post(this.queue[0])) this.queue.shift();
      else await new Promise((later) => setTimeout(later, RETRY));
    }
  }

  async post({ path, body }) {
    let response;
    try {
      const headers = { "X-CSRFToken": token(), "HX-Request": "true" };
      response = await fetch(this.address(path), { method: "POST", body, headers });
    } catch {
      return this.wait();
    }
    if ([502, 504].includes(response.status)) return this.wait();
    if (response.status === 503) return this.wait(enlaceWords(await response.text()));
    if (response.status === 401) return this.unlock(response);
    if (this.away) {
      this.away = false;
      enlaceSay("Enlace is back. What you typed has been kept.");
    }
    if (response.redirected || response.status === 403) {
      // Signed out meanwhile: what was typed waits until the person has signed in again, in any tab.
      await complain(response);
      await renew();
      return false;
    }
    if (response.ok) apply(await response.text(), response);
    else await complain(response);
    return true;
  }

  wait(words) {
    this.away = true;
    const stays = "What you typed stays here and is sent as soon as it is back.";
    enlaceSay(words ? `${words} ${stays}` : `Enlace can't be reached just now. ${stays}`, true);
    return false;
  }

  /** The database's password is asked for anew: in another tab, so that what was typed stays here. */
  unlock(response) {
    enlaceSay("The database asks for its password again. Give it in another tab; what you typed stays here and is sent then.", true);
    return false;
  }

  /** The page is closing: what is still in an editor goes out with a request that outlives the page. */
  last(path, data) {
    const body = new FormData();
    for (const [name, value] of Object.entries(data)) if (value !== undefined && value !== null) body.append(name, value);
    fetch(this.address(path), { method: "POST", body, keepalive: true, headers: { "X-CSRFToken": token(), "HX-Request": "true" } });
  }
}
