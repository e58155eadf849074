// Calculated fields follow what is typed, before anything of it is kept.

import { Choices } from "./choices.js";
import { FRAGMENT } from "./source.js";

const PAUSE = 250;

export function glimpse(desk, sources) {
  let timer = null;
  desk.addEventListener("input", ({ target }) => {
    const source = sources.of(target);
    if (!source.computed || !source.isEditor(target) || Choices.fits(target)) return;
    clearTimeout(timer);
    timer = setTimeout(async () => {
      const { record } = source.panel.dataset;
      const { value } = target;
      const asked = new URLSearchParams({ record, field: target.dataset.field, value });
      try {
        const response = await fetch(`${source.url}preview?${asked}&${source.view}`, FRAGMENT);
        const same =
          source.panel.dataset.record === record && document.activeElement === target && target.value === value;
        if (response.ok && same) source.showOthers(await response.json());
      } catch {
        // Away: what was typed is sent as soon as it is back.
      }
    }, PAUSE);
  });
}
