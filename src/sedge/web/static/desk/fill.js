// What is offered beside a field is put into it by a click: no page is asked for.
export function fill(field, value) {
  field.value = value;
  field.dispatchEvent(new Event("input", { bubbles: true }));
  field.focus();
}

export function fillFrom(event) {
  const offered = event.target.closest("[data-fill]");
  const field = offered && document.getElementById(offered.dataset.fill);
  if (!field || event.ctrlKey || event.metaKey) return;
  event.preventDefault();
  fill(field, offered.dataset.value);
}
