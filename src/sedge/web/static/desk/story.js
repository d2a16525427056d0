// Going through the story of a followed call: the step one is at is shown in the picture.
export const story = () => ({
  at: -1,
  items() {
    return [...this.$root.querySelectorAll(".story li")];
  },
  after() {
    this.show(Math.min(this.items().length - 1, this.at + 1));
  },
  before() {
    this.show(Math.max(0, this.at - 1));
  },
  show(at) {
    this.at = at;
    const items = this.items();
    items.forEach((item, i) => item.classList.toggle("is-now", i === at));
    const step = items[at]?.dataset.step;
    document
      .querySelectorAll(".pathmap .pm-step")
      .forEach((box) => box.classList.toggle("pm-now", box.dataset.step === step));
    items[at]?.scrollIntoView({ block: "nearest" });
  },
});
