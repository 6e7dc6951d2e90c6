// Pictures: the page itself shows the one that the fragment names; here are keys, and the way back.
import { find, findAll } from "./dom.js";

const photos = findAll(document, ".photo").map((node) => ({
  node,
  ids: (node.dataset.checks ?? "").split(" ").filter(Boolean),
}));
let cameFromPage = false;
/** @type {HTMLElement | null} */
let framed = null;
/** @type {Element | null} */
let focusBefore = null;

/** Returns the picture that is shown large, if one is. */
export const largePicture = () => photos.find(({ node }) => `#${node.id}` === location.hash)?.node;

/**
 * Shows the pictures of some checks only; null: of all.
 * @param {Set<string> | null} ids
 */
export function showPictures(ids) {
  for (const photo of photos) photo.node.hidden = ids !== null && !photo.ids.some((id) => ids.has(id));
  const more = /** @type {HTMLDetailsElement | null} */ (find(document, ".more-pictures"));
  if (more && ids) more.open = true;
}

/** @param {number} by */
function turn(by) {
  const visible = photos.map(({ node }) => node).filter((node) => !node.hidden);
  const large = largePicture();
  const next = large && visible[visible.indexOf(large) + by];
  if (next) location.replace(`#${next.id}`);
}

function close() {
  if (cameFromPage) history.back();
  else location.hash = "pictures";
  cameFromPage = false;
}

/** Makes the large picture a dialog: it has the focus, and keeps it until it is closed. */
export function framePicture() {
  const large = largePicture() ?? null;
  if (framed && framed !== large) {
    framed.removeAttribute("role");
    framed.removeAttribute("aria-modal");
    if (!large && focusBefore instanceof HTMLElement) focusBefore.focus({ preventScroll: true });
  }
  if (large && framed !== large) {
    if (!framed) focusBefore = document.activeElement;
    large.setAttribute("role", "dialog");
    large.ariaModal = "true";
    large.focus({ preventScroll: true });
  }
  framed = large;
}

/** @param {KeyboardEvent} event */
function keepFocus(event) {
  const inside = framed ? findAll(framed, "a[href]") : [];
  const at = inside.indexOf(/** @type {HTMLElement} */ (document.activeElement));
  event.preventDefault();
  inside.at((at + (event.shiftKey ? -1 : 1)) % inside.length)?.focus();
}

/**
 * Takes a click on a link; returns whether it was one of the large picture's own.
 * @param {MouseEvent} event
 * @param {HTMLAnchorElement | null} link
 */
export function pictureClick(event, link) {
  const isClose = link?.matches(".photo .close") ?? false;
  if (!isClose && !link?.closest(".photo:target .shot")) {
    if (link?.hash.startsWith("#pic-")) cameFromPage = true;
    return false;
  }
  event.preventDefault();
  if (isClose) close();
  else largePicture()?.classList.toggle("actual");
  return true;
}

/**
 * Takes a key while a picture is large; returns whether it meant the picture.
 * @param {KeyboardEvent} event
 */
export function pictureKey(event) {
  if (!largePicture()) return false;
  if (event.key === "Tab") {
    keepFocus(event);
    return true;
  }
  if (!["Escape", "ArrowLeft", "ArrowRight"].includes(event.key)) return false;
  event.preventDefault();
  if (event.key === "Escape") close();
  else turn(event.key === "ArrowRight" ? 1 : -1);
  return true;
}

/** Puts the focus on the way back from the large picture. */
export function focusWayBack() {
  const large = largePicture();
  if (large) find(large, ".close")?.focus();
}
