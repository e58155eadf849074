// What an answer brings anew is mostly what stands on the page already, with other texts in it. It is put into what stands
// there, piece by piece: an element that is replaced is styled, laid out and painted anew with all that it holds, and takes
// the focus and the icons of its buttons with it.

const OWN = "hx-swap-oob"; // of the answer alone
const ASKS = ["hx-post", "hx-get"]; // htmx listens to these itself
const TYPED = "input:not([type=file]), textarea";
const WHOLE = "select, [type=file], [aria-expanded=true]"; // more state than their attributes tell

/** Make an element of the page what an answer has for it. there: as it stands. made: as the answer has it, which is used up. */
export function patch(there, made) {
  const asking = [];
  renew(there, made, asking);
  for (const element of asking) htmx.process(element);
}

function renew(there, made, asking) {
  if (there.isEqualNode(made)) return untyped(there);
  if (!alike(there, made)) {
    if (made.nodeType === Node.ELEMENT_NODE) made.removeAttribute(OWN);
    there.replaceWith(made);
    return heard(made, asking);
  }
  if (there.nodeType !== Node.ELEMENT_NODE) {
    if (there.data !== made.data) there.data = made.data;
    return;
  }
  attributes(there, made);
  if (there.childNodes.length !== made.childNodes.length) {
    there.replaceChildren(...made.childNodes);
    for (const child of there.children) heard(child, asking);
  } else {
    const pairs = [...there.childNodes].map((node, i) => [node, made.childNodes[i]]); // made loses those that are put in
    for (const [node, its] of pairs) renew(node, its, asking);
  }
  if (there.matches(TYPED)) become(there, made);
}

/** Whether one can become the other without being replaced. */
function alike(there, made) {
  if (there.nodeType !== made.nodeType || there.nodeName !== made.nodeName) return false;
  if (there.nodeType !== Node.ELEMENT_NODE) return true;
  if (there.matches(WHOLE) || there.type !== made.type) return false;
  if (made.disabled && there === document.activeElement) return false; // it loses the focus, which has to be seen
  return !ASKS.some((name) => there.hasAttribute(name) || made.hasAttribute(name));
}

function attributes(there, made) {
  for (const { name } of [...there.attributes]) if (!made.hasAttribute(name)) there.removeAttribute(name);
  for (const { name, value } of made.attributes)
    if (name !== OWN && there.getAttribute(name) !== value) there.setAttribute(name, value);
}

/** What was typed into it was into the one before. */
function become(there, { value, checked }) {
  if (there.value !== value) there.value = value;
  if (there.checked !== checked) there.checked = checked;
  delete there.sent;
}

/** A piece that says the same as before, with what was typed into it taken out again. */
function untyped(there) {
  if (there.nodeType !== Node.ELEMENT_NODE) return;
  for (const input of there.matches(TYPED) ? [there] : there.querySelectorAll(TYPED))
    become(input, { value: input.defaultValue, checked: input.defaultChecked });
}

/** What htmx has to listen to in a piece that is new on the page. */
function heard(made, asking) {
  if (made.nodeType === Node.ELEMENT_NODE) asking.push(made);
}
