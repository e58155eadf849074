// A code editor over a text box: the box keeps the text, so that forms send it and pages without scripts still have it.

import {
  autocompletion,
  bracketMatching,
  closeBrackets,
  completionKeymap,
  defaultKeymap,
  drawSelection,
  EditorState,
  EditorView,
  HighlightStyle,
  highlightActiveLine,
  highlightSpecialChars,
  history,
  historyKeymap,
  keymap,
  linter,
  lintKeymap,
  MariaSQL,
  PostgreSQL,
  placeholder,
  SQLite,
  StandardSQL,
  sql,
  syntaxHighlighting,
  tags,
} from "../vendor/codemirror.js";

const DIALECTS = { sqlite: SQLite, kept: SQLite, postgresql: PostgreSQL, mariadb: MariaSQL };
const RECORD = "record";
const WAIT = 500; // ms after the last key, before the text is checked

// Words by the page's own colours, which have a light and a dark side.
const COLOURS = syntaxHighlighting(
  HighlightStyle.define([
    { tag: tags.keyword, color: "var(--slate)", fontWeight: "650" },
    { tag: [tags.string, tags.special(tags.string)], color: "var(--verdigris)" },
    { tag: [tags.number, tags.bool, tags.null], color: "var(--plum)" },
    { tag: tags.comment, color: "var(--ink-soft)", fontStyle: "italic" },
    { tag: tags.typeName, color: "var(--saffron)" },
  ]),
);

/**
 * Put an editor in the place of a text box. dialect: a kind of server. columns: by table, its columns. names: those that
 * stand for themselves, of a record's fields.
 * check(text): a promise of what is wrong with it, as {from, to, message}. keys: more keys with what they do.
 */
export function codeEditor(box, { dialect, columns = {}, names = [], check, keys = [], nonce }) {
  const extensions = [
    EditorView.cspNonce.of(nonce),
    highlightSpecialChars(),
    history(),
    drawSelection(),
    EditorState.allowMultipleSelections.of(true),
    bracketMatching(),
    closeBrackets(),
    highlightActiveLine(),
    autocompletion({ icons: false }), // its signs are letters of fonts that do not come with the page
    // Tab leaves the editor as it leaves any other: whoever works by keys alone must get out again.
    keymap.of([...keys, ...completionKeymap, ...lintKeymap, ...historyKeymap, ...defaultKeymap]),
    sql({
      dialect: DIALECTS[dialect] || StandardSQL,
      schema: { ...columns, [RECORD]: names },
      defaultTable: RECORD,
      upperCaseKeywords: true,
    }),
    COLOURS,
    EditorView.lineWrapping,
    placeholder(box.placeholder),
    EditorView.contentAttributes.of({ "aria-label": labelOf(box), id: `${box.id}-code`, spellcheck: "false" }),
    EditorView.updateListener.of((update) => {
      if (!update.docChanged) return;
      box.value = view.state.doc.toString();
      box.dispatchEvent(new Event("input", { bubbles: true }));
    }),
  ];
  if (check) extensions.push(linter(async (v) => await faults(v.state.doc.toString(), check), { delay: WAIT }));
  // Somebody may be typing in the box already.
  const held = document.activeElement === box;
  const selection = { anchor: held ? box.selectionEnd : 0 };
  const view = new EditorView({ state: EditorState.create({ doc: box.value, selection, extensions }) });
  view.dom.id = `${box.id}-editor`; // nothing that an answer has stands for it
  box.after(view.dom);
  box.hidden = true;
  if (held) view.focus();
  // The box tells of a change as it would itself: once it is left.
  let before = box.value;
  view.contentDOM.addEventListener("blur", () => {
    if (box.value === before) return;
    before = box.value;
    box.dispatchEvent(new Event("change", { bubbles: true }));
  });
  const write = (text) => view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } });
  return {
    focus: () => view.focus(),
    /** Whether the editor stands in the place of its box still. */
    get standing() {
      return view.dom.isConnected && box.hidden;
    },
    /** Show what the box says by now; what is being typed stays. */
    show(text) {
      if (text === view.state.doc.toString() || view.hasFocus) return;
      write(text);
      before = text;
    },
    /** The box is there again, with the caret where it was. */
    remove() {
      const { head } = view.state.selection.main;
      const held = view.hasFocus;
      view.destroy();
      box.hidden = false;
      if (!held) return;
      box.focus();
      box.setSelectionRange(head, head);
    },
    put(text) {
      write(text);
      view.focus();
    },
  };
}

async function faults(text, check) {
  try {
    const several = await check(text);
    return several.map(({ from, to, message }) => ({
      from: Math.min(from, text.length),
      to: Math.min(Math.max(to, from + 1), text.length),
      severity: "error",
      message,
    }));
  } catch {
    return []; // it can't be checked now; running it tells
  }
}

const labelOf = (box) => box.labels[0].textContent.trim().replace(/\s+/g, " ");
