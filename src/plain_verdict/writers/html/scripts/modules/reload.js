// A page that is made again and again loads itself, and stays as the reader had it: places, and what is open.
import { findAll, isDetails } from "./dom.js";

const STORED = "plain-verdict-view";
const FIELDS = ["INPUT", "SELECT", "TEXTAREA"];

/** @param {string | undefined} seconds */
export function startReloading(seconds) {
  if (!seconds) return;
  recallPlace();
  setInterval(() => {
    const busy = FIELDS.includes(document.activeElement?.tagName ?? "") || document.hidden;
    if (busy || getSelection()?.toString()) return;
    keepPlace();
    location.reload();
  }, Number(seconds) * 1000);
}

function keepPlace() {
  const open = findAll(document, "details[open][id]").map((node) => node.id);
  try {
    sessionStorage.setItem(STORED, JSON.stringify({ y: scrollY, open }));
  } catch {
    // no storage here: the browser keeps the place as well as it can
  }
}

function recallPlace() {
  try {
    const kept = JSON.parse(sessionStorage.getItem(STORED) ?? "null");
    if (!kept) return;
    for (const id of kept.open) {
      const node = document.getElementById(id);
      if (node && isDetails(node)) node.open = true;
    }
    requestAnimationFrame(() => scrollTo(0, kept.y));
  } catch {
    // as above
  }
}
