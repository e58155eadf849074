// Conditions built from parts: a list of tests and of groups of them, which becomes what the grid is asked for.

const WORDS = {
  is: "is",
  "is not": "is not",
  has: "has",
  lacks: "does not have",
  begins: "begins with",
  ends: "ends with",
  like: "is like, with % and _",
  less: "is less than",
  "at most": "is at most",
  more: "is more than",
  "at least": "is at least",
  between: "is between",
  "last days": "is in the last … days",
  "next days": "is in the next … days",
  this: "is in this",
  empty: "is empty",
  filled: "is not empty",
  says: "says, as in its box",
  in: "is one of, with ; between",
  "not in": "is none of, with ; between",
};
// Of moments one says it otherwise.
const OF_TIME = { less: "is before", "at most": "is not after", more: "is after", "at least": "is not before" };
const SEVERAL = ["in", "not in"];
const TEXT = ["has", "is", "is not", "begins", "ends", "lacks", "like", ...SEVERAL, "less", "more", "empty", "filled"];
const LIST = ["has", "is", "is not", "begins", "ends", "lacks", ...SEVERAL, "empty", "filled"];
const NUMBER = ["is", "is not", "less", "at most", "more", "at least", "between", ...SEVERAL, "empty", "filled"];
const DATE = [...NUMBER, "last days", "next days", "this"];
const JOINTS = { all: "All of these", any: "Any of these", none: "None of these" };

/** The tests that fit a kind of field. */
export function testsOf(kind) {
  if (kind === "list") return LIST;
  if (kind === "date" || kind === "datetime") return DATE;
  if (kind === "text" || kind === "longtext") return TEXT;
  return kind === "yesno" ? ["is", "is not", "empty", "filled"] : NUMBER;
}

/** What a test is called for a kind of field. */
export const nameOf = (test, kind) => (["date", "datetime", "time"].includes(kind) && OF_TIME[test]) || WORDS[test];

/** Values as one types them between semicolons, as an address says them: what lists and texts hold is meant as a whole. A
 *  value that was chosen of those that occur begins with == and stays as it is. */
export function valuesOf(text, kind) {
  const said = text.split(";").map((value) => value.trim());
  const whole = ["text", "longtext", "list"].includes(kind);
  return said.filter(Boolean).map((value) => (whole && !value.startsWith("=") ? `=${value}` : value));
}

/** Several values as one types them. */
export const typedOf = (values) => values.map((value) => value.replace(/^=(?!=)/, "")).join("; ");

/** Conditions as an address says them; those that say nothing yet are left out. */
export function cleaned(conditions, counts) {
  const kept = [];
  for (const condition of conditions) {
    const joint = Object.keys(JOINTS).find((name) => Array.isArray(condition[name]));
    if (joint) {
      const parts = cleaned(condition[joint], counts);
      if (parts.length) kept.push({ ...condition, [joint]: parts });
    } else if ("sql" in condition || "anywhere" in condition) {
      if ((condition.sql ?? condition.anywhere).trim()) kept.push(condition);
    } else {
      const values = condition.values.map((value) => value.trim());
      const [least] = counts[condition.test];
      if (values.length >= least && values.every(Boolean)) kept.push({ ...condition, values });
    }
  }
  return kept;
}

/** Fields whose labels begin with what they are of, under that. */
export function inGroups(fields) {
  const groups = new Map();
  for (const { name, label } of fields) {
    const [of] = label.split(": ", 1);
    if (!groups.has(of)) groups.set(of, []);
    groups.get(of).push([name, label]);
  }
  return [...groups];
}

const make = (tag, attributes = {}, ...children) => {
  const element = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) {
    if (name.startsWith("on")) element.addEventListener(name.slice(2), value);
    else if (name in element && name !== "list") element[name] = value;
    else element.setAttribute(name, value);
  }
  element.append(...children);
  return element;
};

export class Conditions {
  /** box: where it is drawn, with what it is drawn from. ask(query): shows what is asked for. reach(): a promise of what may
   *  be asked beyond the fields of the record; null where nobody can tell now. */
  constructor(box, ask, reach) {
    const [fields, counts] = [...box.querySelectorAll("script")].map((holder) => JSON.parse(holder.textContent));
    Object.assign(this, { box, ask, reach, fields, counts, rest: box.dataset.rest, beyond: null });
    this.tree = JSON.parse(box.dataset.tree);
    this.draw();
  }

  get open() {
    return !this.box.hidden;
  }

  async show(focus = true) {
    if (!this.tree.length) this.tree.push(this.fresh());
    this.box.hidden = false;
    this.beyond ??= await this.reach();
    this.draw();
    if (focus) this.box.querySelector("select, input")?.focus();
  }

  fresh() {
    const { name, kind } = this.fields[0];
    return { field: name, test: testsOf(kind)[0], values: [""] };
  }

  /** Ask for the rows that the tree lets pass, with one more condition where one is given. */
  apply(more = null) {
    const kept = cleaned(more ? [...this.tree, more] : this.tree, this.counts);
    const asked = new URLSearchParams(this.rest);
    if (kept.length) asked.set("only-", JSON.stringify(kept));
    return this.ask(asked);
  }

  draw() {
    const active = document.activeElement?.dataset?.at;
    for (const old of this.box.querySelectorAll(":scope > .asks-body")) old.remove();
    const body = make("div", { className: "asks-body" });
    body.append(this.several(this.tree, "0"));
    body.append(
      make(
        "div",
        { className: "buttons" },
        make(
          "button",
          { type: "button", className: "btn btn-sm btn-primary", onclick: () => this.apply() },
          "Show these rows",
        ),
        make("button", { type: "button", className: "btn btn-sm", onclick: () => this.close() }, "Close"),
      ),
    );
    body.addEventListener("keydown", (event) => {
      if (event.key === "Enter" && event.target.matches("input")) {
        event.preventDefault();
        this.apply();
      } else if (event.key === "Escape") {
        event.stopPropagation();
        this.close();
      }
    });
    this.box.append(body);
    if (active) this.box.querySelector(`[data-at="${active}"]`)?.focus();
  }

  close() {
    this.box.hidden = true;
    this.box.closest("[data-sentence]")?.querySelector("[data-edit-conditions].link")?.focus();
  }

  /** The conditions of one group, and what adds to it. */
  several(list, at) {
    const items = list.map((condition, i) => make("li", {}, this.line(condition, list, i, `${at}-${i}`)));
    const add = (made, words) =>
      make(
        "button",
        {
          type: "button",
          className: "link",
          onclick: () => {
            list.push(made());
            this.draw();
            this.box.querySelector(`[data-at^="${at}-${list.length - 1}"]`)?.focus();
          },
        },
        words,
      );
    return make(
      "div",
      {},
      make("ul", {}, ...items),
      make(
        "div",
        { className: "buttons" },
        add(() => this.fresh(), "One more"),
        add(() => ({ any: [this.fresh()] }), "A group"),
        add(() => ({ sql: "" }), "An SQL expression"),
      ),
    );
  }

  line(condition, list, i, at) {
    const drop = make(
      "button",
      {
        type: "button",
        className: "link",
        "aria-label": "Leave this condition out",
        onclick: () => {
          list.splice(i, 1);
          this.draw();
        },
      },
      "×",
    );
    const joint = Object.keys(JOINTS).find((name) => Array.isArray(condition[name]));
    if (joint) {
      const choice = this.choice(Object.entries(JOINTS), joint, `${at}-joint`, "Which of the group", (value) => {
        const parts = condition[joint];
        delete condition[joint];
        condition[value] = parts;
      });
      return make("div", { className: "asks-group" }, choice, drop, this.several(condition[joint], at));
    }
    if ("sql" in condition) {
      const placeholder = "eta > CURRENT_DATE AND status = 'berthed'";
      const typed = this.typed(condition, "sql", at, { "aria-label": "Condition as an SQL expression", placeholder });
      typed.classList.add("mono");
      return make("div", { className: "asks-one" }, typed, drop);
    }
    if ("anywhere" in condition) {
      const typed = this.typed(condition, "anywhere", at, { "aria-label": "Text that any field has", maxLength: 200 });
      return make("div", { className: "asks-one" }, make("span", {}, "Any field has"), typed, drop);
    }
    return make("div", { className: "asks-one" }, ...this.test(condition, at), drop);
  }

  /** A box for a text that a condition holds under a name. */
  typed(condition, name, at, more) {
    return make("input", {
      className: "form-control form-control-sm",
      value: condition[name],
      "data-at": `${at}-${name}`,
      oninput: ({ target }) => {
        condition[name] = target.value;
      },
      ...more,
    });
  }

  test(condition, at) {
    const all = [...this.fields, ...(this.beyond ?? [])];
    const field = all.find(({ name }) => name === condition.field) || this.fields[0];
    const tests = testsOf(field.kind);
    const known = tests.includes(condition.test) ? tests : [condition.test, ...tests];
    const fields = this.choice(
      [...this.fields.map(({ name, label }) => [name, label]), ...inGroups(this.beyond ?? [])],
      condition.field,
      `${at}-field`,
      "Field",
      (value) => {
        condition.field = value;
        const fit = testsOf(all.find(({ name }) => name === value).kind);
        // A test that nobody chose gives way to what one asks of such a field first.
        if (!fit.includes(condition.test) || condition.test === tests[0])
          Object.assign(condition, { test: fit[0], values: this.values(fit[0], condition.values, condition.test) });
      },
    );
    const choice = this.choice(
      known.map((name) => [name, nameOf(name, field.kind)]),
      condition.test,
      `${at}-test`,
      "Test",
      (value) =>
        Object.assign(condition, { test: value, values: this.values(value, condition.values, condition.test) }),
    );
    if (SEVERAL.includes(condition.test)) return [fields, choice, this.among(condition, field.kind, `${at}-value0`)];
    return [fields, choice, ...condition.values.map((value, i) => this.value(condition, value, i, `${at}-value${i}`))];
  }

  /** As many values as a test takes, those that are there first. was: the test that they are of. */
  values(test, now, was) {
    if (test === "this") return ["month"];
    const kept = was === "this" ? [] : now;
    const count = Math.max(this.counts[test][0], Math.min(kept.length, this.counts[test][1]));
    return Array.from({ length: count }, (_, i) => kept[i] ?? "");
  }

  value(condition, value, i, at) {
    const put = (text) => {
      condition.values[i] = text;
    };
    if (condition.test === "this") {
      const units = ["day", "week", "month", "year"].map((unit) => [unit, unit]);
      return this.choice(units, value, at, "Stretch of time", put);
    }
    return make("input", {
      className: "form-control form-control-sm",
      value,
      "data-at": at,
      "aria-label": i ? "and the other end" : "Value",
      oninput: ({ target }) => put(target.value),
    });
  }

  /** Any number of values, typed in one box. */
  among(condition, kind, at) {
    return make("input", {
      className: "form-control form-control-sm",
      value: typedOf(condition.values),
      "data-at": at,
      "aria-label": "Values, with semicolons between",
      oninput: ({ target }) => {
        condition.values = valuesOf(target.value, kind);
      },
    });
  }

  choice(options, now, at, label, put) {
    const option = ([value, words]) => make("option", { value, selected: value === now }, words);
    const made = options.map((one) =>
      Array.isArray(one[1]) ? make("optgroup", { label: one[0] }, ...one[1].map(option)) : option(one),
    );
    return make(
      "select",
      {
        className: "form-select form-select-sm w-auto",
        "data-at": at,
        "aria-label": label,
        onchange: ({ target }) => {
          put(target.value);
          this.draw();
        },
      },
      ...made,
    );
  }
}
