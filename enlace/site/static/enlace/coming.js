// A place that is being found: somebody goes on meanwhile, is told for how long it has been, and can stop it.

const AGAIN = 1500; // ms until it is asked for again

/** Whether an answer says that what was asked for is on its way. */
export const isComing = (response) => response.headers.has("X-Coming");

/** Once it is there, or something else than that it is coming is answered: true; false where it was stopped. answer: the one that
 *  says that it is coming. again(): asks once more. mine: ends it. */
export async function comes(answer, again, mine) {
  const began = Date.now();
  const stop = Object.assign(document.createElement("button"), { className: "link", textContent: "Stop" });
  const since = document.createElement("span");
  since.ariaHidden = "true"; // it would be read out each time
  stop.addEventListener("click", () => {
    mine.abort();
    enlaceSay("Stopped. You are where you were.");
  });
  let words = null;
  while (isComing(answer)) {
    since.textContent = ` ${Math.round((Date.now() - began) / 1000)} s so far. `;
    const now = enlaceWords(await answer.clone().text());
    if (!stop.closest(".shown") || words !== now) enlaceSay(now, false, [since, stop]);
    words = now;
    await new Promise((later) => setTimeout(later, AGAIN));
    if (mine.signal.aborted) return false;
    answer = await again().catch(() => answer); // nobody can be asked now
  }
  return !mine.signal.aborted;
}
