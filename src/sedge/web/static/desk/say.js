// The line at the foot of the page: what was copied, what did not work. It goes by itself.
const STAYS = { note: 4000, problem: 9000 };

export const words = { text: "", tone: "", timer: 0 };

export function say(text, tone = "note") {
  const store = Alpine.store("say");
  clearTimeout(store.timer);
  store.text = text;
  store.tone = tone === "problem" ? "is-problem" : "";
  store.timer = setTimeout(() => {
    store.text = "";
  }, STAYS[tone]);
}
