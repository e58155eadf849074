// A menu at a heading of a grid, after the menu pattern of the WAI-ARIA Authoring Practices; or a box in its place.

let open = null;

export function closeMenu(back = false) {
  if (!open) return;
  const { root, from, source } = open;
  open = null;
  root.remove();
  if (!back) return;
  if (from?.isConnected) from.focus();
  else source.grid?.focus(); // its row was drawn anew meanwhile
}

/** Put a box at a heading. from: what has the focus again once it is closed. */
export function place(root, { head, from, source }) {
  closeMenu();
  document.getElementById("content").append(root);
  const box = head.getBoundingClientRect();
  root.style.left = `${Math.max(8, Math.min(box.left, innerWidth - root.offsetWidth - 8))}px`;
  root.style.top = `${Math.max(8, Math.min(box.bottom, innerHeight - root.offsetHeight - 8))}px`;
  open = { root, from, source };
}

/** items: [words, act, checked]: where checked is told, the item says whether it is so now. */
export function show({ label, items, head, from, source }) {
  const root = document.createElement("ul");
  root.className = "column-menu";
  root.setAttribute("role", "menu");
  root.setAttribute("aria-label", label);
  for (const [words, act, checked] of items) {
    const item = document.createElement("li");
    item.setAttribute("role", checked === undefined ? "menuitem" : "menuitemcheckbox");
    if (checked !== undefined) item.setAttribute("aria-checked", checked);
    item.tabIndex = -1;
    item.textContent = words;
    item.addEventListener("click", (event) => {
      event.stopPropagation(); // what the act opens in its place stays open
      closeMenu(true);
      act();
    });
    root.append(item);
  }
  root.addEventListener("keydown", (event) => key(event, root));
  place(root, { head, from, source });
  root.firstElementChild.focus();
}

function key(event, root) {
  const all = [...root.children];
  const at = all.indexOf(document.activeElement);
  const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: all.length - 1 }[event.key];
  const letter = event.key.length === 1 && event.key !== " " ? event.key.toLowerCase() : "";
  if (to !== undefined) all[(to + all.length) % all.length].focus();
  else if (event.key === "Enter" || event.key === " ") document.activeElement.click();
  else if (event.key === "Escape" || event.key === "Tab") closeMenu(true);
  else if (letter) {
    const order = [...all.slice(at + 1), ...all.slice(0, at + 1)];
    order.find((item) => item.textContent.toLowerCase().startsWith(letter))?.focus();
  } else return;
  event.preventDefault();
  event.stopPropagation();
}

document.addEventListener("click", (event) => {
  // What was pressed may be replaced by now: the way of the press is as it was.
  if (!event.composedPath().some((one) => one.matches?.(".column-menu, .column-acts"))) closeMenu();
});
