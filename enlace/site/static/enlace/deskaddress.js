// The address of the desk names where the page stands, in what belongs to the record too, and what is asked for, so that
// reload, bookmarks and Back find it.

const REST = 300; // ms: it is told once somebody rests, since the browser does a lot for each address, its icon included
const OWN = ["on", "arranged"]; // of a view, what is not asked for

export class DeskAddress {
  /** main: the source of the form's own records. places(source): where the page stands in what belongs to it. */
  constructor(main, places) {
    Object.assign(this, { main, places, told: null, resting: null });
    history.replaceState({ asked: this.asked }, "");
    addEventListener("popstate", ({ state }) => {
      this.told = null; // it was for the address that somebody has left
      if (state && state.asked !== this.asked) main.arrange(new URLSearchParams(state.asked));
    });
    addEventListener("pagehide", () => this.tell({ leaving: true }));
    // Who is about to leave, reload or copy the address finds it as it is.
    addEventListener("blur", () => this.tell());
    addEventListener("keydown", ({ ctrlKey, metaKey, altKey, key }) => {
      if (ctrlKey || metaKey || altKey || key === "F5") this.tell();
    });
  }

  /** What the main source is asked for now. */
  get asked() {
    const said = new URLSearchParams(this.main.view);
    for (const name of OWN) said.delete(name);
    return said.toString();
  }

  /** record: the current one. places: whether what belongs to it stands somewhere. asked: another order, filters or groups. */
  keep(told) {
    this.told = { ...this.told, ...told };
    clearTimeout(this.resting);
    this.resting = setTimeout(() => this.tell(), REST);
  }

  /** Another order, other filters or groups are a step that Back undoes, unless somebody is leaving. */
  tell({ leaving = false } = {}) {
    clearTimeout(this.resting);
    if (!this.told) return;
    const { record, places, asked } = this.told;
    this.told = null;
    const address = new URL(location);
    const { searchParams } = address;
    if (asked) {
      for (const name of [...searchParams.keys()]) if (/^(order$|group$|only-)/.test(name)) searchParams.delete(name);
      for (const [name, said] of asked) if (!OWN.includes(name)) searchParams.append(name, said);
    }
    if (record !== undefined) searchParams.set("record", record);
    if (places) searchParams.set("places", this.places(this.main));
    const step = asked && !leaving && history.state.asked !== this.asked;
    history[step ? "pushState" : "replaceState"]({ asked: this.asked }, "", address);
  }

  /** What the address shared is the person's own arrangement by now. */
  adopted() {
    this.tell();
    const address = new URL(location);
    address.searchParams.delete("arranged");
    history.replaceState({ asked: this.asked }, "", address);
  }
}
