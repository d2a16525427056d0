// A button that spends names its price. From the first key or click that may change the price until
// the new one stands there, it can't be pressed: nobody agrees to a price that was true a moment
// ago.
export function keepPrice() {
  document.addEventListener("input", ({ target }) => {
    const buttons = buttonsOf(target.closest("[data-prices]"));
    for (const button of buttons.filter((one) => !one.disabled)) {
      button.disabled = true;
      button.dataset.price = button.textContent;
      button.textContent = "Working out the price…";
    }
  });
  for (const failed of ["htmx:responseError", "htmx:sendError"]) {
    document.addEventListener(failed, ({ detail }) => {
      for (const button of buttonsOf(detail.elt.closest("[data-prices]")).filter(
        (one) => one.dataset.price,
      )) {
        button.disabled = false;
        button.textContent = button.dataset.price;
        delete button.dataset.price;
      }
    });
  }
}

// A link away from a half-filled form (`data-carries` names it) takes along what was typed, in its
// `back` address.
export function carryForms() {
  document.addEventListener("click", (event) => {
    const link = event.target.closest("a[data-carries]");
    if (!link) return;
    const typed = new URLSearchParams(new FormData(document.querySelector(link.dataset.carries)));
    const away = new URL(link.href);
    away.searchParams.set("back", away.searchParams.get("back").split("?")[0] + "?" + typed);
    link.href = away;
  });
}

function buttonsOf(fields) {
  return fields
    ? [...document.querySelector(fields.dataset.prices).querySelectorAll("button")]
    : [];
}
