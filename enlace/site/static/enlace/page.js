// What every page has: questions before an act, and the quiet line that tells what happened.

// While a word is put together (an accent and its letter, a syllable of Chinese or Japanese), its keys are for that alone:
// the Enter that takes the word leaves no cell. 229 is what a browser without `isComposing` says then (UI Events, 7.3.1).
window.addEventListener(
  "keydown",
  (event) => {
    const composed = event.isComposing || event.keyCode === 229;
    if (composed && !event.target.closest?.(".cm-editor")) event.stopImmediatePropagation();
  },
  true,
);
(() => {
  const said = () => document.getElementById("said");

  /** wrong: it is about an error. more: elements that stand behind it; it stays then, until something else is said. */
  function say(sentence, wrong = false, more = []) {
    const line = said();
    line.replaceChildren(sentence, ...more);
    line.classList.toggle("wrong", wrong);
    line.classList.add("shown");
    clearTimeout(say.timer);
    if (!more.length) say.timer = setTimeout(() => line.classList.remove("shown"), wrong ? 12000 : 5000);
  }
  window.enlaceSay = say;

  /** The words of an answer that is a fragment of HTML. */
  window.enlaceWords = (html) =>
    new DOMParser().parseFromString(html, "text/html").body.textContent.trim().replace(/\s+/g, " ").slice(0, 400);

  function ask(text, yes) {
    const box = document.getElementById("question");
    box.querySelector("#question-text").textContent = text;
    box.querySelector('[value="yes"]').textContent = yes || "Yes";
    return new Promise((resolve) => {
      const answer = (event) => {
        const button = event.target.closest("button");
        if (button) box.close(button.value);
      };
      box.addEventListener("click", answer);
      box.addEventListener(
        "close",
        () => {
          box.removeEventListener("click", answer);
          resolve(box.returnValue === "yes");
        },
        { once: true },
      );
      box.returnValue = "no";
      box.showModal();
    });
  }
  window.enlaceAsk = ask;

  // In a dialog Tab goes round, as its pattern has it (APG, "Dialog (Modal)"): from its end a browser would leave the page.
  document.addEventListener("keydown", (event) => {
    const dialog = event.key === "Tab" && document.querySelector("dialog:modal");
    if (!dialog) return;
    event.preventDefault();
    const stops = [...dialog.querySelectorAll("a[href], button, input, select, textarea")].filter(
      (stop) => !stop.disabled && stop.checkVisibility(),
    );
    const step = event.shiftKey ? -1 : 1;
    const at = stops.indexOf(document.activeElement);
    stops.at(at < 0 ? Math.min(step, 0) : (at + step) % stops.length)?.focus();
  });

  document.addEventListener("htmx:confirm", (event) => {
    const text = event.detail.elt.dataset.ask;
    if (!text || event.defaultPrevented) return;
    event.preventDefault();
    ask(text, event.detail.elt.dataset.yes).then((yes) => {
      if (yes) event.detail.issueRequest(true);
    });
  });
  document.addEventListener("submit", (event) => {
    const text = event.target.dataset.ask;
    if (!text || event.target.dataset.asked) return;
    event.preventDefault();
    ask(text, event.target.dataset.yes).then((yes) => {
      if (!yes) return;
      event.target.dataset.asked = "1";
      event.target.requestSubmit(event.submitter);
    });
  });

  // The box over many cards: those that hold every word stay.
  const plain = (text) => text.normalize("NFD").replace(/\p{M}/gu, "").toLowerCase();
  function find(box) {
    const words = plain(box.value).split(/\s+/).filter(Boolean);
    const cards = [...document.querySelectorAll("ul.cards > li")];
    for (const card of cards) card.hidden = !words.every((word) => plain(card.textContent).includes(word));
    const left = cards.filter((card) => !card.hidden).length;
    box.parentElement.querySelector("[role=status]").textContent = words.length
      ? `${left} of ${cards.length} ${box.dataset.find}`
      : "";
  }
  document.addEventListener("input", (event) => event.target.dataset?.find && find(event.target));
  document.addEventListener("keydown", (event) => {
    const only =
      event.target.dataset?.find && event.key === "Enter" && document.querySelectorAll("ul.cards > li:not([hidden])");
    if (only && only.length === 1) only[0].querySelector("a").click();
  });
  addEventListener("pageshow", () => document.querySelectorAll("[data-find]").forEach(find)); // the browser may have kept the words

  document.addEventListener("enlace:said", (event) => say(event.detail.sentence));
  document.addEventListener("htmx:responseError", (event) => say(enlaceWords(event.detail.xhr.responseText), true));
  document.addEventListener("htmx:sendError", () =>
    say("Enlace can't be reached. Nothing is lost; try again in a moment.", true),
  );
  // htmx tells what came of a request to the element that asked, which another answer may have replaced meanwhile: then
  // nobody on the page would hear of it.
  const heard = new WeakSet();
  document.addEventListener("htmx:beforeOnLoad", ({ detail }) => heard.add(detail.xhr));
  document.addEventListener("htmx:beforeRequest", ({ detail: { xhr } }) =>
    xhr.addEventListener("load", () => {
      if (heard.has(xhr)) return;
      if (xhr.status >= 400) return say(enlaceWords(xhr.responseText), true);
      const events = JSON.parse(xhr.getResponseHeader("HX-Trigger") || "{}");
      for (const [name, detail] of Object.entries(events)) document.dispatchEvent(new CustomEvent(name, { detail }));
    }),
  );
})();
