// What somebody types while an answer comes that draws the page anew: it stays, and is sent when they leave it.

const MARKS = "[type=checkbox], [type=radio]";

/** What an answer has to leave be: the box of text that somebody is in, where what stands in it was not sent yet; around a
 *  code editor that they are in, all that stands beside it. null where there is none. sent: of a box, what it said when it
 *  was sent. */
export function inHand() {
  const { activeElement } = document;
  const code = activeElement.closest(".cm-editor");
  if (code) return code.parentElement;
  if (!activeElement.matches("input, textarea") || activeElement.matches(MARKS)) return null;
  const { value, defaultValue, sent } = activeElement;
  return value !== defaultValue && value !== sent ? activeElement : null;
}

/** Whether an element stands in the place of a box of text: a code editor, which no answer knows of. */
export const standsForBox = (node) => node.nodeType === Node.ELEMENT_NODE && node.matches("[data-code] + .cm-editor");

/** Whether an attribute is there since a code editor stands in the place of its element. */
export const stoodFor = (name, node) => name === "hidden" && "code" in node.dataset;
