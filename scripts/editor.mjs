// The parts of CodeMirror that Enlace uses, as one module. `make vendor` builds it with esbuild into
// enlace/site/static/vendor/codemirror.js.

export { acceptCompletion, autocompletion, closeBrackets, completionKeymap } from "@codemirror/autocomplete";
export { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
export { MariaSQL, PostgreSQL, SQLDialect, SQLite, StandardSQL, sql } from "@codemirror/lang-sql";
export { bracketMatching, HighlightStyle, syntaxHighlighting } from "@codemirror/language";
export { linter, lintKeymap, setDiagnostics } from "@codemirror/lint";
export { EditorState } from "@codemirror/state";
export {
  drawSelection,
  EditorView,
  highlightActiveLine,
  highlightSpecialChars,
  keymap,
  lineNumbers,
  placeholder,
} from "@codemirror/view";
export { tags } from "@lezer/highlight";
