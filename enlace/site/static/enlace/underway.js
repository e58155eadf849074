// What is under way on a page: edits that go out, records that come, acts of buttons.

// Those that lead to another record: what is typed until its editors are there would go to nowhere.
export const LEADING = "[id$=act-new], [id$=act-remove], #act-undo, #act-redo";

export class UnderWay {
  constructor(page) {
    this.page = page;
    this.acting = 0; // acts of buttons: the next one waits for them, since it is about what comes of them
    document.addEventListener("htmx:beforeRequest", ({ target, detail }) => this.pressed(target, detail));
  }

  pressed(target, detail) {
    if (detail.requestConfig.verb !== "post") return;
    const leading = target.matches(LEADING) ? this.page.sources.of(target) : null;
    this.acting += 1;
    leading?.still(true);
    if (leading) this.page.hold(this.arrived());
    // The request itself says when it ended: its button may be gone by then, replaced by another answer.
    detail.xhr.addEventListener("loadend", () => {
      this.acting -= 1;
      if (leading && !leading.moves) leading.still(false);
    });
  }

  get busy() {
    return this.page.edits.busy || this.page.sources.moving || this.acting > 0;
  }

  /** The records that somebody went to are there. */
  async arrived() {
    const { sources } = this.page;
    while (sources.moving || this.acting) {
      await Promise.all([...sources].map((source) => source.moving));
      if (this.acting) await new Promise((later) => setTimeout(later, 15));
    }
  }

  /** Everything typed has arrived, and the record that the person went to is the current one. */
  async settled() {
    while (this.busy) {
      await this.page.edits.idle();
      await this.arrived();
    }
  }
}
