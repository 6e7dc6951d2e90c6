// The navigation: marks the section that is read, and closes again where it is a menu.
import { find, findAll, isDetails } from "./dom.js";

const nav = find(document, "nav.contents");
const menu = nav && find(nav, "details");
const NARROW = matchMedia("(max-width: 980px)");

function fold() {
  if (menu && isDetails(menu)) menu.open = !NARROW.matches;
}

/** Marks the last section whose heading is above the middle of the window's upper half. */
function mark() {
  const links = nav ? findAll(nav, "a") : [];
  const line = innerHeight / 4;
  let current = links[0];
  for (const link of scrollY > 0 ? links : []) {
    const target = document.getElementById(link.getAttribute("href")?.slice(1) ?? "");
    if (target && target.getBoundingClientRect().top <= line) current = link;
  }
  // At the end of the page the last section can't come up to the line.
  const ended = scrollY > 0 && innerHeight + scrollY >= document.documentElement.scrollHeight - 2;
  if (ended) current = links[links.length - 1];
  for (const link of links) {
    if (link === current) link.setAttribute("aria-current", "location");
    else link.removeAttribute("aria-current");
  }
}

export function startNavigation() {
  if (!nav) return;
  fold();
  NARROW.addEventListener("change", fold);
  nav.addEventListener("click", (event) => {
    if (event.target instanceof Element && event.target.closest("a")) fold();
  });
  document.addEventListener("click", (event) => {
    if (NARROW.matches && event.target instanceof Node && !nav.contains(event.target)) fold();
  });
  let waiting = false;
  const later = () => {
    if (waiting) return;
    waiting = true;
    requestAnimationFrame(() => {
      waiting = false;
      mark();
    });
  };
  addEventListener("scroll", later, { passive: true });
  addEventListener("resize", later);
  mark();
}
