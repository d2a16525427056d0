// The picture of a call path that is worked on: chosen, dragged and changed by mouse and by keys.
// All it does goes through the same addresses as the forms beside it.
const SWAP = "morph:innerHTML"; // so that what is being pressed stays where it is

export const drawing = () => ({
  drag: null,
  init() {
    this.$el.addEventListener("click", (event) => this.choose(event));
    this.$el.addEventListener("pointerdown", (event) => this.take(event));
    this.$el.addEventListener("pointermove", (event) => this.pull(event));
    this.$el.addEventListener("pointerup", (event) => this.drop(event));
    this.$el.addEventListener("dragstart", (event) => event.preventDefault());
    this.$el.addEventListener("keydown", (event) => this.key(event));
    // A form that has been filled in is not drawn anew under whoever is at it.
    this.$el.addEventListener("input", (event) =>
      event.target.form?.setAttribute("data-typed", ""),
    );
    this.$el.addEventListener("htmx:afterSwap", () => this.focusChosen());
    // What is done waits for what was done before, and goes on from what that left.
    this.$el.addEventListener("htmx:configRequest", ({ detail }) => {
      if (detail.verb === "post") detail.parameters.version = this.shelf().dataset.version;
    });
  },
  shelf() {
    return this.$el.querySelector("[data-version]");
  },
  // ── choosing ──
  choose(event) {
    const typed = this.$el.querySelector("form[data-typed]");
    const away = event.target.closest("a[href]");
    if (typed && away && !event.defaultPrevented) return this.saveFirst(typed, away, event);
    if (!away || event.ctrlKey || event.metaKey || event.button || !this.isHere(away)) return;
    event.preventDefault();
    if (!this.dragged) this.open(away.getAttribute("href"));
  },
  // What has been typed into a step is saved before one goes on; where it can't be, one stays with
  // the reason.
  saveFirst(form, away, event) {
    event.preventDefault();
    const done = (answered) => {
      if (answered.detail.requestConfig?.elt !== form) return;
      document.removeEventListener("htmx:afterRequest", done);
      if (answered.detail.successful) setTimeout(() => this.goTo(away));
    };
    document.addEventListener("htmx:afterRequest", done);
    form.requestSubmit();
  },
  isHere(link) {
    return new URL(link.getAttribute("href"), location.href).pathname === location.pathname;
  },
  goTo(link) {
    const address = link.getAttribute("href");
    if (this.isHere(link)) this.open(address);
    else location.assign(address);
  },
  open(address) {
    const drawn = { target: "#drawing", swap: SWAP, source: this.$el, replace: address };
    this.$el.dataset.live = address;
    return htmx.ajax("GET", address, drawn);
  },
  focusChosen() {
    const shelf = this.shelf();
    if (shelf) this.$el.dataset.live = shelf.dataset.here;
    if (document.activeElement === document.body)
      this.$el.querySelector("svg [aria-current]")?.focus();
  },
  send(what, values) {
    const address = this.shelf().dataset.base + "/" + what;
    return htmx.ajax("POST", address, {
      target: "#drawing",
      swap: SWAP,
      source: this.$el,
      values,
    });
  },
  // ── dragging: a line's dot to another step, a step onto a plus ──
  take(event) {
    const port = event.target.closest(".pm-port");
    const step = event.target.closest("a[data-step]:not(.pm-stub)");
    this.dragged = false;
    if (event.button || (!port && !step)) return;
    const from = port || step;
    this.drag = {
      port: Boolean(port),
      step: from.dataset.step,
      exit: from.dataset.exit || "",
      x: event.clientX,
      y: event.clientY,
    };
  },
  pull(event) {
    if (!this.drag) return;
    if (Math.hypot(event.clientX - this.drag.x, event.clientY - this.drag.y) < 6) return;
    const svg = this.$el.querySelector("svg.pm-edit");
    if (!this.dragged) {
      this.dragged = true;
      this.$el.dataset.dragging = "";
      this.rope = document.createElementNS("http://www.w3.org/2000/svg", "line");
      this.rope.setAttribute("class", "pm-rope");
      const start = this.inside(svg, this.drag);
      this.rope.setAttribute("x1", start.x);
      this.rope.setAttribute("y1", start.y);
      svg.append(this.rope);
      svg.classList.add(this.drag.port ? "pm-leading" : "pm-moving");
    }
    const end = this.inside(svg, { x: event.clientX, y: event.clientY });
    this.rope.setAttribute("x2", end.x);
    this.rope.setAttribute("y2", end.y);
  },
  inside(svg, point) {
    return new DOMPoint(point.x, point.y).matrixTransform(svg.getScreenCTM().inverse());
  },
  drop(event) {
    const drag = this.drag;
    this.drag = null;
    delete this.$el.dataset.dragging;
    if (!drag || !this.dragged) return;
    this.rope.remove();
    this.$el.querySelector("svg.pm-edit").classList.remove("pm-leading", "pm-moving");
    const under = document.elementFromPoint(event.clientX, event.clientY);
    const stub = under?.closest(".pm-stub");
    const plus = under?.closest(".pm-plus");
    const step = under?.closest("a[data-step]:not(.pm-stub)");
    if (!drag.port && plus)
      this.send("insert", { step: drag.step, to: plus.dataset.on, way_out: plus.dataset.exit });
    if (drag.port && step)
      this.send("lead", { step: drag.step, way_out: drag.exit, to: step.dataset.step });
    if (!drag.port && stub)
      this.send("move", { step: drag.step, to: stub.dataset.step, way_out: stub.dataset.exit });
    setTimeout(() => (this.dragged = false), 0);
  },
  // ── keys ──
  key(event) {
    if (event.target.matches("input, textarea, select")) return;
    const here = event.target.closest("svg a[data-step]");
    const step = here?.dataset.step || this.shelf().dataset.step;
    const done =
      event.ctrlKey || event.metaKey
        ? this.withControl(event, step)
        : this.plainly(event, here, step);
    if (done) {
      event.preventDefault();
      event.stopPropagation();
    }
  },
  withControl(event, step) {
    const key = event.key.toLowerCase();
    if (key === "z" && !event.shiftKey) return this.send("undo", { step });
    if (key === "y" || (key === "z" && event.shiftKey)) return this.send("redo", { step });
    if (!step) return false;
    if (key === "c" && !getSelection().toString()) return this.send("copy", { step });
    if (key === "x") return this.send("cut", { step });
    const stub =
      document.activeElement?.closest(".pm-stub") ||
      this.$el.querySelector('.pm-stub[data-step="' + step + '"]');
    if (key === "v" && stub)
      return this.send("paste", { step: stub.dataset.step, way_out: stub.dataset.exit });
    return false;
  },
  plainly(event, here, step) {
    if (here && event.key.startsWith("Arrow")) return this.go(here, event.key);
    if (here && event.key === "Delete") return this.send("remove", { step });
    if (here && event.key.toLowerCase() === "a") {
      const stub = here.matches(".pm-stub")
        ? here
        : this.$el.querySelector('.pm-stub[data-step="' + step + '"]');
      if (stub) this.open(stub.getAttribute("href"));
      return Boolean(stub);
    }
    if (event.key === "Escape" && this.shelf().dataset.step)
      return this.open(this.shelf().dataset.base) || true;
    return false;
  },
  // The nearest step or plus in that direction.
  go(here, key) {
    const [x, y] = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[
      key
    ];
    const middle = (link) => {
      const box = link.getBoundingClientRect();
      return [box.x + box.width / 2, box.y + box.height / 2];
    };
    const [hereX, hereY] = middle(here);
    let best = null;
    for (const link of this.$el.querySelectorAll("svg a[data-step]")) {
      const [thereX, thereY] = middle(link);
      const along = (thereX - hereX) * x + (thereY - hereY) * y;
      const aside = Math.abs((thereX - hereX) * y) + Math.abs((thereY - hereY) * x);
      if (link !== here && along > 8 && (!best || along + 2 * aside < best.far))
        best = { link, far: along + 2 * aside };
    }
    best?.link.focus();
    return true;
  },
});
