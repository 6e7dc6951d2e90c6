// Search on the index, folded series, and links from a page to the one after it. The rest needs no script.
const find = document.querySelector(".find");
const input = find?.querySelector("input");
const state = find?.querySelector(".state");
const sections = [...document.querySelectorAll("section")];
/** @type {WeakMap<Element, string>} */
const texts = new WeakMap();

const FOLDED = ".folded-series, .folded-rows";

/**
 * Puts what is compressed in its place, instead of the words before it.
 * @param {Element} folded
 */
async function inflate(folded) {
  if (typeof DecompressionStream === "undefined") return;
  const bytes = Uint8Array.from(atob(folded.textContent ?? ""), (char) => char.charCodeAt(0));
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("gzip"));
  const content = await new Response(stream).text();
  // While it was decompressed, another call may have done the same.
  if (!folded.isConnected) return;
  folded.previousElementSibling?.remove();
  folded.insertAdjacentHTML("afterend", content);
  folded.remove();
}

/**
 * Opens all that is compressed of a series: what is in it may be compressed as well.
 * @param {Element} section
 */
async function unfold(section) {
  if (typeof DecompressionStream === "undefined") return;
  for (let folded = section.querySelector(FOLDED); folded; folded = section.querySelector(FOLDED))
    await inflate(folded);
}

/**
 * @param {Element} row
 * @param {string} name
 */
function textOf(row, name) {
  let text = texts.get(row);
  if (text === undefined) {
    text = `${name} ${(row.textContent ?? "").toLowerCase()}`;
    texts.set(row, text);
  }
  return text;
}

async function search() {
  const typed = input?.value ?? "";
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length) await Promise.all(sections.map(unfold));
  if (typed !== (input?.value ?? "")) return;
  let shown = 0;
  for (const section of sections) {
    const name = (section.querySelector("h2")?.textContent ?? "").toLowerCase();
    let here = 0;
    for (const row of section.querySelectorAll(".row")) {
      const fits = words.every((word) => textOf(row, name).includes(word));
      /** @type {HTMLElement} */ (row).hidden = !fits;
      here += Number(fits);
    }
    section.hidden = words.length > 0 && here === 0;
    section.classList.toggle("searched", words.length > 0);
    if (words.length) for (const part of section.querySelectorAll("details:not(.fold)")) openPart(part);
    shown += here;
  }
  if (state) state.textContent = words.length ? `${shown.toLocaleString("en")} found` : "";
}

/** @param {Element} part */
function openPart(part) {
  /** @type {HTMLDetailsElement} */ (part).open = true;
}

/** Goes on to the page after the one that a link names, or shows its series where there is none yet. */
async function goOn() {
  const id = decodeURIComponent(location.hash.slice(1));
  if (id && !document.getElementById(id)) await Promise.all(sections.map(unfold));
  const place = id ? document.getElementById(id) : null;
  const row = id.startsWith("after-") ? place?.closest(".row") : null;
  const link = /** @type {HTMLAnchorElement | null} */ (row?.querySelector("a") ?? null);
  if (link) location.replace(link.href);
  else if (place && id.startsWith("after-") && state)
    state.textContent = "This is the newest report of its series.";
  for (let part = place?.closest("details"); part; part = part.parentElement?.closest("details")) openPart(part);
  place?.scrollIntoView();
}

if (find) /** @type {HTMLElement} */ (find).hidden = false;
// These events do not bubble, and parts that are compressed have listeners only later.
document.addEventListener(
  "toggle",
  ({ target }) => {
    if (!(target instanceof HTMLDetailsElement && target.open)) return;
    const folded = target.querySelector(":scope > .folded-series, :scope > .rows > .folded-rows");
    if (folded) inflate(folded);
  },
  true,
);
input?.addEventListener("input", search);
document.addEventListener("keydown", (event) => {
  if (event.key === "/" && document.activeElement !== input) {
    event.preventDefault();
    input?.focus();
  } else if (event.key === "Escape" && input) {
    input.value = "";
    search();
  }
});
addEventListener("hashchange", goOn);
goOn();
