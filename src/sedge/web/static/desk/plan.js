// A floor's plan: choose a spot, click where it lies, or move it with the arrow keys; each move is
// sent as a form.
const STEP = 2;

export const floorPlan = () => ({
  x: null,
  y: null,
  chosen() {
    return this.$root.querySelector("input[name=code]:checked");
  },
  click(event) {
    const spot = this.chosen();
    if (!spot || event.target.closest("a")) return;
    const box = event.currentTarget.getBoundingClientRect();
    this.send(
      spot,
      (100 * (event.clientX - box.left)) / box.width,
      (100 * (event.clientY - box.top)) / box.height,
    );
  },
  keys(event) {
    const spot = this.chosen();
    const step = {
      ArrowRight: [STEP, 0],
      ArrowLeft: [-STEP, 0],
      ArrowDown: [0, STEP],
      ArrowUp: [0, -STEP],
    }[event.key];
    if (!spot || !step || !event.altKey) return;
    event.preventDefault();
    const from = [Number(spot.dataset.x || 50), Number(spot.dataset.y || 50)];
    this.send(spot, from[0] + step[0], from[1] + step[1]);
  },
  send(spot, x, y) {
    const form = this.$root.querySelector("form[data-place]");
    const within = (n) => Math.min(100, Math.max(0, Math.round(n * 10) / 10));
    form.elements.code.value = spot.value;
    form.elements.x.value = within(x);
    form.elements.y.value = within(y);
    form.requestSubmit();
  },
});
