// What all controls of a form have in common on the page.

/** A control: a custom element that knows what is in it and nothing else. What it wants is told upwards, in events. */
export class Control extends HTMLElement {
  connectedCallback() {
    if (this.begun) return;
    this.begun = true;
    this.begin();
  }

  /** Called once, when the control is on the page. What is in it may be replaced at any time: listen on the control. */
  begin() {}

  /** Whether an answer that draws it anew has to wait; it asks for it again then. */
  postpones() {
    return false;
  }

  /** It was drawn anew. held: somebody was in it. */
  drawn() {}

  /** Handle an event of what matches a selector in it. */
  on(type, selector, handle) {
    this.addEventListener(type, (event) => {
      const target = event.target.closest?.(selector);
      if (target && this.contains(target)) handle(target, event);
    });
  }

  /** Say what it wants; whoever holds the page together knows what to do. */
  tell(name, detail = {}) {
    this.dispatchEvent(new CustomEvent(`wants:${name}`, { bubbles: true, detail }));
  }
}
