// Search, filters and order; the view is kept in the fragment: #show=failed,errored&find=fare&order=slowest
const tools = list?.querySelector(".tools");
const input = tools?.querySelector("input");
const order = tools?.querySelector("select");
const buttons = tools ? [...tools.querySelectorAll("button")] : [];
const state = tools?.querySelector(".state");
const flat = list?.querySelector(".flat");
const groups = list ? [...list.querySelectorAll(".group")] : [];
let flatRows = null;
let shown = null; // whether each check is shown, by number; null: all are

const pressed = () => buttons.filter((button) => button.ariaPressed === "true").map((button) => button.value);
const number = (count) => count.toLocaleString("en");

function apply() {
  atOnce = AT_ONCE;
  const words = input.value.toLowerCase().split(/\s+/).filter(Boolean);
  const wanted = pressed().map((outcome) => outcome[0]).join("");
  const narrowed = words.length > 0 || wanted.length > 0;
  shown = narrowed ? new Uint8Array(checks.count).fill(1) : null;
  let count = checks.count;
  if (narrowed) {
    if (wanted) for (let check = 0; check < checks.count; check++) if (!wanted.includes(checks.outcome[check])) shown[check] = 0;
    mark(shown, words);
    count = shown.reduce((sum, one) => sum + one, 0);
  }
  if (order.value === "suite") showSuites(narrowed);
  else showFlat();
  showPhotos(narrowed);
  const all = number(checks.count);
  state.textContent = narrowed ? (count ? `${number(count)} of ${all} checks shown` : `None of ${all} checks fits. Esc shows all.`) : "";
}

function showSuites(narrowed) {
  flatRows?.show([]);
  flat.hidden = true;
  for (let check = 0; check < checks.count; check++) {
    const node = checks.node[check];
    if (node) node.hidden = narrowed && !shown[check];
  }
  for (const group of groups) group.hidden = [...group.querySelectorAll(".check")].every((node) => node.hidden);
  for (const suite of suites) {
    const folded = narrowed ? suite.folded.filter((check) => shown[check]) : suite.folded;
    suite.box.hidden = narrowed && !folded.length && suite.nodes.every((node) => node.hidden);
    if (suite.aside) suite.aside.hidden = narrowed;
    if (!suite.fold) continue;
    suite.fold.hidden = !folded.length;
    suite.open ??= suite.fold.open;
    suite.now = folded;
    suite.fold.open = narrowed || suite.open;
    if (suite.fold.open) unfold(suite);
    else suite.rows?.show([]);
  }
}

// Shows a suite's folded checks, once its fold is open.
function unfold(suite) {
  if (!suite.rows) {
    suite.rows = new Rows(suite.fold.querySelector(".rows"));
    suite.rows.box.ariaLabel = suite.name;
  } else if (suite.rows.numbers === suite.now) return;
  suite.rows.show(suite.now);
}

function showFlat() {
  for (const suite of suites) {
    suite.box.hidden = true;
    suite.rows?.show([]);
  }
  flat.hidden = false;
  flatRows ??= Object.assign(new Rows(flat), { places: true });
  flat.ariaLabel = "All checks in this order";
  const all = ordered(order.value);
  flatRows.show(shown ? all.filter((check) => shown[check]) : all);
}

function remember() {
  const view = [];
  if (pressed().length) view.push("show=" + pressed().join(","));
  if (input.value.trim()) view.push("find=" + encodeURIComponent(input.value.trim()));
  if (order.value !== "suite") view.push("order=" + order.value);
  history.replaceState(null, "", view.length ? "#" + view.join("&") : location.pathname + location.search);
}

function recall() {
  photo()?.node.querySelector(".close").focus();
  if (!list || tools.hidden) return;
  const fragment = location.hash.slice(1);
  const check = fragment.startsWith("c-") ? checks.id.indexOf(fragment) : -1;
  if (check >= 0) return void open(check);
  if (!fragment.includes("=")) return;
  const view = new Map(fragment.split("&").map((part) => part.split(/=(.*)/s, 2)));
  const wanted = (view.get("show") ?? "").split(",");
  for (const button of buttons) button.ariaPressed = String(wanted.includes(button.value));
  try {
    input.value = decodeURIComponent(view.get("find") ?? "");
  } catch {
    input.value = "";
  }
  order.value = ["slowest", "name"].includes(view.get("order")) ? view.get("order") : "suite";
  apply();
  list.parentElement.scrollIntoView();
}

function clear() {
  input.value = "";
  for (const button of buttons) button.ariaPressed = "false";
  apply();
}

// Opens a check wherever it is: in the list in its order, in its suite, or folded into it.
function open(check) {
  if (shown && !shown[check]) clear();
  const suite = suites[checks.suite[check]];
  if (order.value !== "suite") return flatRows.reveal(flatRows.numbers.indexOf(check)).then(openNode);
  if (checks.node[check]) return openNode(checks.node[check]);
  suite.fold.open = true;
  unfold(suite);
  return suite.rows.reveal(suite.now.indexOf(check)).then(openNode);
}

function openNode(node) {
  const group = node.closest(".group");
  if (group) group.open = true;
  if (node.tagName === "DETAILS") node.open = true;
  node.scrollIntoView({ block: "start" });
  (node.querySelector("summary") ?? node).focus({ preventScroll: true });
  // What comes near is laid out only now, and may move the check away again.
  if (list.matches(".many")) requestAnimationFrame(() => requestAnimationFrame(() => node.scrollIntoView({ block: "start" })));
}

let current = -1;
function step(by) {
  const failures = [];
  const all = order.value === "suite" ? null : flatRows.numbers;
  for (let at = 0; at < (all ? all.length : checks.count); at++) {
    const check = all ? all[at] : at;
    if ("fe".includes(checks.outcome[check]) && (!shown || shown[check])) failures.push(check);
  }
  if (!failures.length) return;
  const at = failures.indexOf(current);
  current = failures[at < 0 ? (by > 0 ? 0 : failures.length - 1) : (at + by + failures.length) % failures.length];
  open(current);
  state.textContent = `Failure ${number(failures.indexOf(current) + 1)} of ${number(failures.length)}`;
}
