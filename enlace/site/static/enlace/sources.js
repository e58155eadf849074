// The sources of a page: which of them something belongs to, what belongs to one, where they stand.

import { Source } from "./source.js";

export class Sources {
  /** holders: the elements that say what each is. page: what they share. */
  constructor(holders, page) {
    this.all = new Map();
    for (const holder of holders) {
      const source = new Source(holder, page);
      this.all.set(source.p, source);
    }
    this.main = this.all.get("");
  }

  [Symbol.iterator]() {
    return this.all.values();
  }

  /** The source that an element belongs to; the main one for what belongs to none. */
  of(element) {
    const of = element?.closest?.("[data-of]")?.dataset.of;
    return (of && this.all.get(of.slice(2))) || this.main;
  }

  /** A source by what begins the ids of its elements. */
  by(prefix) {
    return this.all.get(prefix || "") || this.main;
  }

  /** A source by the name of its part. */
  named(part) {
    return [...this].find((source) => source.part === part);
  }

  /** What belongs to a source, to any depth. */
  below(source) {
    const under = [...this].filter((child) => child !== source && child.p && child.under === source.part);
    return under.flatMap((child) => [child, ...this.below(child)]);
  }

  /** Where the page stands in what belongs to a source. more(source): what else to say of each. */
  places(source, more = () => null) {
    const several = this.below(source);
    if (!several.length) return "";
    const stands = ({ record, view, under }) => ({
      record: record || "",
      view,
      master: this.named(under)?.record || "",
    });
    return JSON.stringify(Object.fromEntries(several.map((one) => [one.part, { ...stands(one), ...more(one) }])));
  }

  /** The same for an answer that shows it again, which leaves out what nobody sees. */
  placesNow(source) {
    return this.places(source, (one) => one.state);
  }

  /** Whether a record that somebody went to is not there yet. */
  get moving() {
    return [...this].some((source) => source.moves);
  }
}
