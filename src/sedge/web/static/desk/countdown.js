// The time left until a moment, by the desk's clock (which in the demo may be ahead of the real
// one).
export const countdown = () => ({
  left: "",
  timer: 0,
  init() {
    this.tell();
    this.timer = setInterval(() => this.tell(), 1000);
  },
  destroy() {
    clearInterval(this.timer);
  },
  tell() {
    const { until, over } = this.$el.dataset;
    const ahead = Number(document.body.dataset.offset || 0) * 1000;
    const seconds = Math.round((Date.parse(until) - Date.now() - ahead) / 1000);
    this.left =
      seconds > 0 ? Math.floor(seconds / 60) + ":" + String(seconds % 60).padStart(2, "0") : over;
  },
});
