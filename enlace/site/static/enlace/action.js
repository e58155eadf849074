// A server action: its statements and its condition in code editors.

import { codeEditor } from "./code.js";
import { codeBoxes } from "./codeboxes.js";

const box = document.getElementById("statements");
box.required = false; // a box that is not seen can't be asked to be filled in; the server asks
codeEditor(box, { ...JSON.parse(document.getElementById("known").textContent), nonce: box.dataset.styles });
codeBoxes(document, box.dataset.styles);
