// What was typed into a form outlives a reload of the page in this tab, until the form has been
// sent.
// Kept only where the page's own value is still the one that was typed over; never passwords and
// files.
const KINDS =
  "input:not([type=hidden], [type=password], [type=file], [type=submit]), textarea, select";
const place = () => "typed:" + location.pathname + location.search;
const addressOf = (form) => form.getAttribute("hx-post") || form.getAttribute("action") || "";
const isKept = (form) => form && (form.hasAttribute("hx-post") || form.method === "post");

export function keepTyped() {
  document.addEventListener("input", (event) => remember(event.target));
  document.addEventListener("change", (event) => remember(event.target));
  document.addEventListener(
    "submit",
    (event) => event.target.hasAttribute("hx-post") || forget(event.target),
  );
  document.addEventListener("htmx:afterRequest", (event) => {
    // htmx calls an answer that leads elsewhere neither a success nor a failure
    const status = event.detail.xhr?.status;
    if (status >= 200 && status < 400 && event.target.matches("form")) forget(event.target);
  });
  document.querySelectorAll("form").forEach(restore);
}

function held() {
  try {
    return JSON.parse(sessionStorage.getItem(place())) || {};
  } catch {
    return {};
  }
}

function keep(all) {
  if (Object.keys(all).length) sessionStorage.setItem(place(), JSON.stringify(all));
  else sessionStorage.removeItem(place());
}

function keyOf(field) {
  const alike = [...field.form.elements].filter((other) => other.name === field.name);
  return [addressOf(field.form), field.name, alike.indexOf(field)].join(" ");
}

const ticks = (field) => field.type === "checkbox" || field.type === "radio";
const valueOf = (field) => (ticks(field) ? field.checked : field.value);

function originalOf(field) {
  if (ticks(field)) return field.defaultChecked;
  if (field.tagName !== "SELECT") return field.defaultValue;
  return (
    ([...field.options].find((option) => option.defaultSelected) || field.options[0])?.value ?? ""
  );
}

function remember(field) {
  if (!field.name || !field.matches?.(KINDS) || !isKept(field.form)) return;
  const all = held();
  if (valueOf(field) === originalOf(field)) delete all[keyOf(field)];
  else all[keyOf(field)] = { was: originalOf(field), is: valueOf(field) };
  keep(all);
}

function forget(form) {
  const all = held();
  const begin = addressOf(form) + " ";
  for (const key of Object.keys(all)) if (key.startsWith(begin)) delete all[key];
  keep(all);
}

function restore(form) {
  if (!isKept(form)) return;
  const all = held();
  for (const field of form.elements) {
    const one = field.name && field.matches(KINDS) && all[keyOf(field)];
    if (!one || one.was !== originalOf(field) || one.is === valueOf(field)) continue;
    if (ticks(field)) field.checked = one.is;
    else field.value = one.is;
    if (!form.getAttribute("hx-trigger")?.includes("change")) announce(field);
  }
}

// For those who watch the field. A form that sends itself on change is not told: nobody has
// finished typing there.
function announce(field) {
  const name = ticks(field) || field.tagName === "SELECT" ? "change" : "input";
  field.dispatchEvent(new Event(name, { bubbles: true }));
}
