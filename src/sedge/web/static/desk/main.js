// The desk's behaviour, put together: Alpine components found by their names in the pages, and what
// runs on every page.
// No code stands in a page, so that the Content-Security-Policy stays strict (Alpine's CSP build).
import { addressLine } from "./address_line.js";
import { blockMap } from "./blockmap.js";
import { choiceOf } from "./choice_of.js";
import { columns } from "./columns.js";
import { countdown } from "./countdown.js";
import { desk } from "./desk.js";
import { drawing } from "./drawing.js";
import { keepFocus } from "./focus.js";
import { finder } from "./finder.js";
import { catchUp, keepFresh } from "./live.js";
import { floorPlan } from "./plan.js";
import { passkey } from "./passkeys.js";
import { pick } from "./pick.js";
import { pickMany } from "./pick_many.js";
import { pickedBar } from "./picked.js";
import { rows } from "./rows.js";
import { carryForms, keepPrice } from "./spending.js";
import { sayProblems } from "./problems.js";
import { sendOnce } from "./sent.js";
import { recorder } from "./recorder.js";
import { story } from "./story.js";
import { ticks } from "./ticks.js";
import { words } from "./say.js";
import { keepTyped } from "./typed.js";

document.addEventListener("alpine:init", () => {
  Alpine.store("say", words);
  Alpine.data("desk", desk);
  Alpine.data("drawing", drawing);
  Alpine.data("finder", finder);
  Alpine.data("addressLine", addressLine);
  Alpine.data("blockMap", blockMap);
  Alpine.data("choiceOf", choiceOf);
  Alpine.data("columns", columns);
  Alpine.data("countdown", countdown);
  Alpine.data("passkey", passkey);
  Alpine.data("picked", pickedBar);
  Alpine.data("pick", pick);
  Alpine.data("pickMany", pickMany);
  Alpine.data("floorPlan", floorPlan);
  Alpine.data("recorder", recorder);
  Alpine.data("rows", rows);
  Alpine.data("story", story);
  Alpine.data("ticks", ticks);
});
sayProblems();
sendOnce();
keepFresh();
catchUp();
keepTyped();
keepFocus();
keepPrice();
carryForms();
