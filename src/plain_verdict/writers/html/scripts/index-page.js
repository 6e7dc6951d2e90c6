// Search on the index, and links from a page to the one after it. The index is complete without it.
const find = document.querySelector(".find");
const input = find?.querySelector("input");
const state = find?.querySelector(".state");
const sections = [...document.querySelectorAll("section")];
const rows = sections.map((section) => {
  const name = (section.querySelector("h2")?.textContent ?? "").toLowerCase();
  return [...section.querySelectorAll(".row")].map((row) => ({ row, name }));
});
/** @type {WeakMap<Element, string>} */
const texts = new WeakMap();

/** @param {{row: Element, name: string}} one */
function textOf({ row, name }) {
  let text = texts.get(row);
  if (text === undefined) {
    text = `${name} ${(row.textContent ?? "").toLowerCase()}`;
    texts.set(row, text);
  }
  return text;
}

function search() {
  const words = (input?.value ?? "").toLowerCase().split(/\s+/).filter(Boolean);
  let shown = 0;
  sections.forEach((section, at) => {
    let here = 0;
    for (const one of rows[at]) {
      const fits = words.every((word) => textOf(one).includes(word));
      /** @type {HTMLElement} */ (one.row).hidden = !fits;
      here += Number(fits);
    }
    section.hidden = here === 0;
    const older = section.querySelector("details");
    if (older && words.length) older.open = true;
    shown += here;
  });
  if (state) state.textContent = words.length ? `${shown.toLocaleString("en")} found` : "";
}

/** Goes on to the page after the one that a link names, or shows its series where there is none yet. */
function goOn() {
  const id = decodeURIComponent(location.hash.slice(1));
  const place = id ? document.getElementById(id) : null;
  const row = id.startsWith("after-") ? place?.closest(".row") : null;
  const link = /** @type {HTMLAnchorElement | null} */ (row?.querySelector("a") ?? null);
  if (link) location.replace(link.href);
  else if (place && id.startsWith("after-") && state)
    state.textContent = "This is the newest report of its series.";
  const older = place?.closest("details");
  if (older) older.open = true;
}

if (find) /** @type {HTMLElement} */ (find).hidden = false;
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
