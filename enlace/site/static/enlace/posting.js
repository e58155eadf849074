// How scripts send something to Enlace, and hear what it says.

/** The token that tells a request of this page from one that another site made somebody's browser send. */
export const token = () => JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];

/** Values as a form sends them; what is undefined or null is left out. */
export function formOf(values) {
  const body = new FormData();
  for (const [name, value] of Object.entries(values))
    if (value !== undefined && value !== null) body.append(name, value);
  return body;
}

/** Send values, or a form's own data, to an address. more: of what fetch takes. */
export function posted(address, values, more = {}) {
  const body = values instanceof FormData ? values : formOf(values);
  return fetch(address, { method: "POST", body, headers: { "X-CSRFToken": token(), "HX-Request": "true" }, ...more });
}

const UNREACHED = "Enlace can't be reached just now. Try again in a moment.";

/** What comes of something that is asked; null, and told, where nobody answers. away: what is told then. */
export async function reached(asked, away = UNREACHED) {
  try {
    return await asked;
  } catch {
    enlaceSay(away, true);
    return null;
  }
}

/** What an answer says; null, and told, where it is an error or there is none. away: as of `reached`. */
export async function textOf(asked, away = UNREACHED) {
  const text = async (response) => ({ ok: response.ok, said: await response.text() });
  const answer = await reached(Promise.resolve(asked).then(text), away);
  if (answer && !answer.ok) enlaceSay(enlaceWords(answer.said), true);
  return answer?.ok ? answer.said : null;
}

const RETRY = 2000; // ms
const AWAY = "Enlace can't be reached. What you did stays here and is sent as soon as it is back.";

/** Send what must not be lost: again and again, until it is answered. */
export async function sentAtLast(address, values) {
  for (let away = false; ; away = true)
    try {
      const response = await posted(address, values);
      if (away) enlaceSay("Enlace is back, and has what you did.");
      return response;
    } catch {
      enlaceSay(AWAY, true);
      await new Promise((resolve) => setTimeout(resolve, RETRY));
    }
}
