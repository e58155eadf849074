// Whether the database behind a page answers: what the badge beside its title says, from all that the page asks it for.

const SOON = 3000; // milliseconds without an answer after which a person is told
const WORDS = { live: "live", waiting: "no answer yet", away: "away" };
const AWAY = "away";

const badge = () => document.querySelector("[data-reach]");
let state = "live";

function stands(now) {
  const word = badge();
  if (!word || now === state) return;
  state = now;
  if (now === "live") document.dispatchEvent(new CustomEvent("enlace:reached"));
  word.textContent = now === "live" ? word.dataset.reach : WORDS[now];
  word.parentElement.dataset.state = now;
}

export const isAway = (response) => response.headers.get("X-Database") === AWAY;

/** Hear what comes of a request; the request itself. told: what to say to somebody who waits for it. proves: an answer shows
 *  that the database is there; one of the draft alone does not. */
export function heard(request, { told = "", proves = false } = {}) {
  const waiting = setTimeout(() => {
    if (state === "live") stands("waiting");
    if (told) enlaceSay(told);
  }, SOON);
  const answered = (response) => {
    if (isAway(response)) stands("away");
    else if (proves && response.ok && !response.headers.has("X-Unasked")) stands("live");
    else if (state === "waiting") stands("live");
  };
  request.then(answered, (error) => error.name === "AbortError" || stands("away")).finally(() => clearTimeout(waiting));
  return request;
}

// What buttons ask for by themselves.
const ofButton = (xhr) => ({ ok: xhr.status < 400, headers: { get: (name) => xhr.getResponseHeader(name) } });
document.addEventListener("htmx:beforeRequest", ({ detail: { xhr } }) =>
  heard(new Promise((resolve) => xhr.addEventListener("loadend", () => resolve(ofButton(xhr)))), {
    told: "The database has not answered yet. What comes of it is told as soon as it does.",
  }),
);
