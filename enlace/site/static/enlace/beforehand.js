// The record that comes next for somebody who goes from one to the next: it is read while they look at the one before.

const FRESH = 4000; // ms that what was read beforehand is as good as read now

export class Beforehand {
  /** read(address): what stands there. count(): of what was sent, which an answer from before it may not know. */
  constructor(read, count, now = () => performance.now()) {
    Object.assign(this, { read, count, now, kept: null });
  }

  /** Read what is likely to be asked for next; what nobody came for is dropped. */
  ask(address) {
    const mine = new AbortController();
    this.drop();
    const kept = { address, mine, count: this.count(), at: this.now(), here: false };
    kept.answer = this.read(address, mine.signal)
      .then((answer) => {
        kept.here = true;
        return answer;
      })
      .catch(() => null); // then it is asked for when somebody comes for it
    this.kept = kept;
  }

  /** Whether the answer of an address is here, so that whoever takes it has it at once. */
  has(address) {
    return Boolean(this.kept?.here) && this.fits(address);
  }

  fits(address) {
    const { kept } = this;
    return kept.address === address && kept.count === this.count() && this.now() - kept.at < FRESH;
  }

  /** The answer of an address, on its way or here; null where it was not asked for, or something has changed since. */
  take(address) {
    const answer = this.kept && this.fits(address) ? this.kept.answer : null;
    if (!answer) this.drop();
    this.kept = null;
    return answer;
  }

  drop() {
    this.kept?.mine.abort();
    this.kept = null;
  }
}
