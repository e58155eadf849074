// A box below the sentence that a button opens and closes; the focus goes back to where it came from.

const cameFrom = new WeakMap();

export function openBox(box, button) {
  box.hidden = false;
  button.setAttribute("aria-expanded", "true");
  cameFrom.set(box, document.activeElement);
}

export function closeBox(box, button) {
  box.hidden = true;
  button.setAttribute("aria-expanded", "false");
  const back = cameFrom.get(box);
  (back?.isConnected && back !== document.body && !box.contains(back) ? back : button).focus();
}
