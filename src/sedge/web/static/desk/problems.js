// What a form was refused for stands beside its field; what was typed stays.
import { say } from "./say.js";

export function sayProblems() {
  document.addEventListener("htmx:beforeRequest", (event) => {
    if (event.target.matches("form")) clear(event.target);
  });
  document.addEventListener("htmx:responseError", (event) => {
    const { xhr, elt } = event.detail;
    const problem = xhr.getResponseHeader("Sedge-Problem");
    if (problem) show(elt.closest("form"), JSON.parse(problem));
    else say("That did not work (" + xhr.status + "). Nothing was changed; try again.", "problem");
  });
  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-fills]");
    if (button) fillFields(button.closest("form"), JSON.parse(button.dataset.fills));
  });
  document.addEventListener("htmx:sendError", () => {
    say("Sedge does not answer. Nothing was changed; it will be here again soon.", "problem");
  });
}

function clear(form) {
  form.querySelectorAll(".said").forEach((note) => note.remove());
  form.querySelectorAll("[aria-invalid]").forEach((field) => {
    field.removeAttribute("aria-invalid");
    field.removeAttribute("aria-describedby");
  });
}

function show(form, problem) {
  if (!form) return say(problem.message, "problem");
  const note = document.createElement("p");
  note.className = "said";
  note.setAttribute("role", "alert");
  note.textContent = problem.message;
  for (const choice of problem.choices || [])
    note.append(document.createElement("br"), buttonFor(form, choice));
  const field = fieldOf(form, problem.field);
  if (!field) return form.append(note);
  note.id = "said-" + problem.field;
  field.setAttribute("aria-invalid", "true");
  field.setAttribute("aria-describedby", note.id);
  (field.closest(".field") || field.parentElement).append(note);
  field.focus();
}

// What was perhaps meant, as a button that fills it in.
function buttonFor(form, choice) {
  const button = document.createElement("button");
  button.type = "button";
  button.className = "as-link";
  button.textContent = "Use " + choice.label;
  button.addEventListener("click", () => fillFields(form, choice.fields));
  return button;
}

export function fillFields(form, fields) {
  for (const [name, value] of Object.entries(fields)) {
    const field = fieldOf(form, name);
    if (!field) continue;
    field.value = value;
    field.dispatchEvent(new Event("input", { bubbles: true }));
  }
  clear(form);
  form.querySelector("button:not([type=button])")?.focus();
}

// `rules.2.pattern` is the third of the fields called pattern.
function fieldOf(form, name) {
  const [, row, column] = /^\w+\.(\d+)\.(\w+)$/.exec(name || "") || [];
  if (row) return form.querySelectorAll('[name="' + column + '"]')[Number(row)] || null;
  const found = name && form.elements.namedItem(name);
  const fields = found instanceof RadioNodeList ? [...found] : [found];
  return fields.find((field) => field && field.type !== "hidden") ?? null;
}
