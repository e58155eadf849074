// A part of a grid that the server writes: asked for once the grid's edits stand there, and again when it may be another.

const PAUSE = 250; // ms: several edits, or a move on, are asked for once

/** A path with what tells a grid from the first one of the same records. */
export const pathOf = (path, grid) => (grid?.which ? `${path}?grid=${encodeURIComponent(grid.which)}` : path);

/** Who extends it has `wanted`, whether there is anything to ask for, and `show(html, ok)`. */
export class Fragment {
  /** address(path): where the grid's records are. path: of this part. box: where it is shown; may be none. */
  constructor(grid, address, path, box) {
    Object.assign(this, { grid, address, path, box });
  }

  soon(pause = PAUSE) {
    clearTimeout(this.timer);
    if (this.wanted) this.timer = setTimeout(() => this.load(), pause);
  }

  async load() {
    this.asking?.abort();
    this.asking = new AbortController();
    const { signal } = this.asking;
    try {
      await this.grid.edits.idle();
      const address = this.address(pathOf(this.path, this.grid));
      const response = await fetch(address, { headers: { "HX-Request": "true" }, signal });
      const html = await response.text();
      if (this.box.isConnected) this.show(html, response.ok);
    } catch {
      // Another request took its place, or Enlace is away, which the next act says.
    }
  }
}
