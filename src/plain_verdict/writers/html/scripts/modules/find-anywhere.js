// Search over the whole page: what matches in each section, and the checks that match.
import { checks, nameOfCheck, searchTexts, suites } from "./checks.js";
import { find, findAll, inWords, isDetails, need } from "./dom.js";
import { filters } from "./filters.js";
import { keepMatches, wordsOf } from "./search.js";

const SHOWN = 6;
const ITEMS =
  ".remarks li, .short li, .conds li, .cause, tbody tr, .slowest li, .tracks li, .photo, .coverage, .chart, " +
  ".rule-names, .read div, .notes li, .failures li, div.words";
const NAMES = "h3, th, figcaption b, .name, .track, dt";

/** @typedef {{text: string, name: string, node: HTMLElement}} Item */
/** @typedef {{title: string, names: string[], all: number, go: (at: number) => void, more: (() => void) | null}} Found */

const dialog = /** @type {HTMLDialogElement | null} */ (find(document, "dialog.search"));
/** @type {Map<string, Item[]> | null} */
let index = null;

/** @param {Element} node */
const textIn = (node) => (node.textContent ?? "").replace(/\s+/g, " ").trim();

/** Returns what each section but the list of checks has to be found, made when it is first needed. */
function items() {
  if (index) return index;
  index = new Map();
  for (const heading of findAll(document, "main section > h2")) {
    const section = /** @type {HTMLElement} */ (heading.parentElement);
    if (find(section, ".every")) continue;
    const found = findAll(section, ITEMS).map((node) => {
      const text = textIn(node);
      return { text: text.toLowerCase(), name: textIn(find(node, NAMES) ?? node) || text, node };
    });
    index.set(textIn(find(heading, "b, .unseen") ?? heading), found);
  }
  return index;
}

/** @param {HTMLElement} node */
function goTo(node) {
  for (let around = /** @type {HTMLElement | null} */ (node); around; around = around.parentElement) {
    if (isDetails(around)) around.open = true;
  }
  node.scrollIntoView({ block: "center" });
  const target = find(node, "a[href], summary") ?? node;
  if (target === node) node.tabIndex = -1;
  target.focus({ preventScroll: true });
}

/**
 * Returns what matches, section by section.
 * @param {string} query
 * @returns {Found[]}
 */
function search(query) {
  const words = wordsOf(query);
  if (!words.length) return [];
  /** @type {Found[]} */
  const found = [];
  for (const [title, all] of items()) {
    const matching = all.filter(({ text }) => words.every((word) => text.includes(word)));
    if (!matching.length) continue;
    const names = matching.slice(0, SHOWN).map(({ name }) => name);
    found.push({ title, names, all: matching.length, go: (at) => goTo(matching[at].node), more: null });
  }
  const inChecks = filters?.ready ? searchChecks(words, query) : null;
  // Most look for a check: those come before tables and pictures.
  if (inChecks) found.splice(found.findIndex(({ title }) => title === "Causes") + 1, 0, inChecks);
  return found;
}

/**
 * @param {string[]} words
 * @param {string} query
 * @returns {Found | null}
 */
function searchChecks(words, query) {
  const shown = new Uint8Array(checks.count).fill(1);
  const { texts, suiteTexts } = searchTexts();
  keepMatches(shown, words, texts, suiteTexts, checks.suite);
  /** @type {number[]} */
  const first = [];
  let all = 0;
  for (let check = 0; check < shown.length; check++) {
    if (!shown[check]) continue;
    all++;
    if (first.length < SHOWN) first.push(check);
  }
  if (!all) return null;
  return {
    title: "All checks",
    names: first.map(
      (check) => `${checks.outcome[check]}: ${nameOfCheck(check)} (${suites[checks.suite[check]].name})`,
    ),
    all,
    go: (at) => filters?.open(first[at]),
    more: () => filters?.showView(`find=${encodeURIComponent(query.trim())}`),
  };
}

/** @param {HTMLDialogElement} box */
function show(box) {
  const query = /** @type {HTMLInputElement} */ (need(box, "input")).value;
  const found = search(query);
  const total = found.reduce((sum, { all }) => sum + all, 0);
  need(box, "p").textContent = query.trim() ? (total ? `${inWords(total)} found` : "Nothing found") : "";
  need(box, ".found").replaceChildren(
    ...found.flatMap(({ title, names, all, go, more }) => {
      const heading = document.createElement("h3");
      heading.textContent = title;
      const count = document.createElement("span");
      count.textContent = inWords(all);
      heading.append(" ", count);
      const list = document.createElement("ul");
      const buttons = names.map((name, at) => button(box, name, () => go(at)));
      if (more && all > names.length) buttons.push(button(box, `Show all ${inWords(all)} in All checks`, more));
      list.append(...buttons);
      if (!more && all > names.length) {
        const rest = document.createElement("li");
        rest.className = "soft";
        rest.textContent = `and ${inWords(all - names.length)} more`;
        list.append(rest);
      }
      return [heading, list];
    }),
  );
}

/**
 * @param {HTMLDialogElement} box
 * @param {string} words
 * @param {() => void} go
 */
function button(box, words, go) {
  const item = document.createElement("li");
  const made = document.createElement("button");
  made.type = "button";
  made.textContent = words;
  made.addEventListener("click", () => {
    box.close();
    go();
  });
  item.append(made);
  return item;
}

/** Opens the search; its words are still there from the time before. */
export function openSearch() {
  if (!dialog || dialog.open) return;
  dialog.showModal();
  const input = /** @type {HTMLInputElement} */ (need(dialog, "input"));
  input.focus();
  input.select();
  show(dialog);
}

/**
 * Arrows move through what was found; Enter in the field takes the first.
 * @param {HTMLDialogElement} box
 * @param {KeyboardEvent} event
 */
function key(box, event) {
  const input = need(box, "input");
  const stops = [input, ...findAll(box, ".found button")];
  const at = stops.indexOf(/** @type {HTMLElement} */ (document.activeElement));
  if (event.key === "Enter" && document.activeElement === input) {
    event.preventDefault();
    stops[1]?.click();
  } else if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    event.preventDefault();
    stops[Math.max(0, Math.min(stops.length - 1, at + (event.key === "ArrowDown" ? 1 : -1)))].focus();
  }
}

export function startSearch() {
  if (!dialog || typeof dialog.showModal !== "function") return;
  let timer = 0;
  need(dialog, "input").addEventListener("input", () => {
    clearTimeout(timer);
    timer = setTimeout(() => show(dialog), checks.count > 2000 ? 120 : 0);
  });
  dialog.addEventListener("keydown", (event) => key(dialog, event));
  dialog.addEventListener("click", (event) => {
    if (event.target === dialog) dialog.close(); // beside the box
  });
}
