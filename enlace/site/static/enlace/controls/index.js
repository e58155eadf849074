// The kinds of controls that do something on the page by themselves; the others are what their templates say.

import "./branches.js";
import "./button.js";
import "./cards.js";
import "./grid.js";
import "./navigator.js";
import "./tabs.js";
