// Keys and clicks, paper, and the start of it all.
import { startCharts } from "./charts.js";
import { isFolded, list, readFolded, readPlain, searchTexts } from "./checks.js";
import { find, findAll, isDetails } from "./dom.js";
import { filters } from "./filters.js";
import { openSearch, startSearch } from "./find-anywhere.js";
import { startNavigation } from "./navigation.js";
import { focusWayBack, framePicture, pictureClick, pictureKey } from "./pictures.js";
import { startReloading } from "./reload.js";
import { startTaking } from "./take.js";
import { startTickets } from "./ticket.js";

// Keys of one character can be turned off. Source: WCAG 2.2, success criterion 2.1.4
const STORED = "plain-verdict-keys";
const keysList = /** @type {HTMLDialogElement | null} */ (find(document, "dialog.keys"));
const keysSwitch = /** @type {HTMLInputElement | null} */ (keysList && find(keysList, "input"));
const FIELDS = ["INPUT", "SELECT", "TEXTAREA"];

function recallKeys() {
  if (!keysSwitch) return;
  try {
    keysSwitch.checked = localStorage.getItem(STORED) !== "off";
  } catch {
    // no storage here: they are on
  }
  keysSwitch.addEventListener("change", () => {
    try {
      localStorage.setItem(STORED, keysSwitch.checked ? "on" : "off");
    } catch {
      // kept for this page only
    }
  });
}

function recall() {
  focusWayBack();
  if (filters?.ready) filters.recall();
}

/** @type {Record<string, () => void>} */
const KEYS = {
  "/": openSearch,
  "?": () => keysList?.showModal(),
  n: () => filters?.ready && filters.step(1),
  p: () => filters?.ready && filters.step(-1),
  o: () => setAll(true),
  c: () => setAll(false),
};

/** @param {KeyboardEvent} event */
function pageKey(event) {
  if (document.querySelector("dialog[open]")) return;
  if (event.key === "Escape" && filters?.ready) {
    const { input } = filters;
    if (document.activeElement === input && !input.value) input.blur();
    filters.clear();
    filters.remember();
    return;
  }
  const typing = event.target instanceof Element && FIELDS.includes(event.target.tagName);
  if (typing || !keysSwitch?.checked || !Object.hasOwn(KEYS, event.key)) return;
  event.preventDefault();
  KEYS[event.key]();
}

// A list in another order keeps only the rows near the window; on paper the suites have them all.
let orderBefore = "";

/** @param {boolean} printing */
function printInSuites(printing) {
  if (!filters?.ready) return;
  const { order } = filters;
  if (printing ? order.value === "suite" : !orderBefore) return;
  [order.value, orderBefore] = printing ? ["suite", order.value] : [orderBefore, ""];
  filters.apply();
}

function openFailures() {
  const folds = "details.group.failed, main details.quiet, .inside.failed .fold, .inside.errored .fold";
  for (const node of findAll(document, `details.check.failed, details.check.errored, ${folds}`)) {
    if (isDetails(node)) node.open = true;
  }
}

/** Says of folded checks what can't be done, or takes away what was said. */
function noteOnFolded(text = "") {
  for (const note of list ? findAll(list, ".folded-note") : []) {
    if (text) note.textContent = text;
    else note.remove();
  }
}

/** @param {boolean} open */
function setAll(open) {
  for (const node of list ? findAll(list, "details.check, details.group, details.quiet") : []) {
    if (isDetails(node) && (!open || node.checkVisibility?.() !== false)) node.open = open;
  }
}

async function begin() {
  if (!filters) return;
  if (!isFolded) readPlain();
  else if (typeof DecompressionStream === "undefined") {
    noteOnFolded(
      "Folded checks can’t be opened here: this browser has no DecompressionStream. A newer one shows them; " +
        "so does the layout “folder”.",
    );
    return;
  } else {
    await readFolded();
    noteOnFolded();
    filters.showSuites();
    // The first search should not wait for this; it is made while nothing else is to be done.
    if ("requestIdleCallback" in window) requestIdleCallback(searchTexts);
    else setTimeout(searchTexts);
  }
  filters.listen();
  // Filters wait for nothing else; a page that is opened at one of them loads them at once.
  if ("requestIdleCallback" in window) requestIdleCallback(() => filters?.loadFacets());
  else setTimeout(() => filters?.loadFacets());
}

/** Shows the buttons that open what keys open. */
function startKeys() {
  recallKeys();
  for (const node of findAll(document, ".at-hand")) node.hidden = false;
}

addEventListener("hashchange", () => {
  recall();
  framePicture();
});
document.addEventListener("click", (event) => {
  const target = /** @type {Element} */ (event.target);
  const link = /** @type {HTMLAnchorElement | null} */ (target.closest("a[href^='#']"));
  if (pictureClick(event, link)) return;
  if (link?.dataset.view && filters?.ready) {
    event.preventDefault();
    filters.showView(link.dataset.view);
    return;
  }
  // A click on the link that is already in the address bar changes no hash, but should work again.
  if (link && link.hash === location.hash) recall();
});
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (!pictureKey(event)) pageKey(event);
});
addEventListener("beforeprint", () => {
  printInSuites(true);
  openFailures();
});
addEventListener("afterprint", () => printInSuites(false));

framePicture();
startCharts();
startTaking();
startNavigation();
startSearch();
startKeys();
startTickets();
document.addEventListener("click", (event) => {
  if (!(event.target instanceof Element)) return;
  if (event.target.closest(".open-all")) setAll(true);
  else if (event.target.closest(".close-all")) setAll(false);
  else if (event.target.closest(".search-open")) openSearch();
  else if (event.target.closest(".keys-open")) keysList?.showModal();
});
if (keysList) {
  keysList.addEventListener("click", (event) => {
    if (event.target === keysList) keysList.close();
  });
}
const begun = begin();
const reloading = () => startReloading(document.body.dataset.reload);
if (!isFolded) {
  recall();
  reloading();
} else {
  begun.then(recall).finally(() => {
    reloading();
    document.documentElement.dataset.ready = "yes";
  });
}
