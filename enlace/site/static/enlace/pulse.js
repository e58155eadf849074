// What others change meanwhile: another window of the same person shares the draft; somebody else may have changed the
// current record.

import { apply } from "./edits.js";
import { heard } from "./reach.js";
import { FRAGMENT } from "./source.js";

const PULSE = 4000;

export function pulse(page) {
  const { sources, edits } = page;
  const { main } = sources;
  let asking = false;
  async function ask() {
    if (document.hidden || page.underWay.busy || asking) return;
    asking = true;
    const { count } = edits;
    const { revision } = page;
    try {
      const asked = new URLSearchParams({
        revision,
        record: main.record || "",
        position: main.position || 0,
        seen: main.panel?.dataset.seen || "",
      });
      const response = await heard(fetch(main.address(`pulse?${asked}`), FRAGMENT), {
        proves: true,
      });
      if (response.status !== 200 || page.underWay.busy || edits.count !== count || page.revision !== revision) return;
      const html = await response.text();
      if (page.underWay.busy) return; // somebody has gone on meanwhile
      // What is being typed stays: the editors are read anew once somebody moves.
      const typing = [...sources]
        .filter((source) => source.typing)
        .map((source) => `#${CSS.escape(`${source.p}panel`)}`);
      apply(html, response, typing.join(", ") || null);
    } catch {
      // Away: the badge says so, and the next act.
    } finally {
      asking = false;
    }
  }
  document.addEventListener("enlace:reached", () => {
    for (const source of sources) source.reached();
  });
  setInterval(ask, PULSE);
  window.addEventListener("focus", ask);
  document.addEventListener("visibilitychange", ask);
}
