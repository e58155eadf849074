// A new record is told what it lacks as somebody leaves a field without a value; once anything is entered the server says so.

/** isEditor(element): whether it is an editor of a current record. */
export function lacks(isEditor) {
  document.addEventListener("focusout", ({ target }) => {
    const words = target.dataset?.lacks;
    // Who looks at another window has not left it.
    if (!words || target === document.activeElement || target.value.trim() || !isEditor(target)) return;
    const note = document.getElementById(target.getAttribute("aria-describedby"));
    if (!note || note.querySelector(".message")) return;
    note.classList.add("missing");
    note.prepend(Object.assign(document.createElement("span"), { className: "message", textContent: words }));
  });
}
