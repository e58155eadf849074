// Acts of a page that go to Enlace one after another, each once the one before was answered.

export class Turns {
  running = Promise.resolve();
  waiting = 0; // acts that are on their way, or about to be

  constructor() {
    // Who leaves the page does not leave behind what they have just done.
    document.addEventListener("click", (event) => {
      const link = event.target.closest?.("a[href]");
      const elsewhere = event.ctrlKey || event.metaKey || event.shiftKey || event.button || link?.target;
      if (!link || !this.waiting || elsewhere || event.defaultPrevented) return;
      if (link.getAttribute("href").startsWith("#")) return;
      event.preventDefault();
      const { href } = link;
      this.running.finally(() => location.assign(href));
    });
  }

  /** Do something in its turn. act: gives a promise. */
  take(act) {
    this.waiting += 1;
    this.running = this.running.then(act, act).finally(() => {
      this.waiting -= 1;
    });
    return this.running;
  }
}
