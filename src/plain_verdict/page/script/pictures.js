// Pictures: the page itself shows the one that the fragment names; here are keys, and the way back.
const photos = [...document.querySelectorAll(".photo")].map((node) => ({ node, ids: node.dataset.checks.split(" ").filter(Boolean) }));
const photo = () => photos.find(({ node }) => "#" + node.id === location.hash);
let cameFromPage = false;

function showPhotos(narrowed) {
  if (!photos.length) return;
  const ids = narrowed ? new Set(checks.id.filter((_, check) => shown[check])) : null;
  for (const one of photos) one.node.hidden = narrowed && !one.ids.some((id) => ids.has(id));
}

function turn(by) {
  const visible = photos.filter(({ node }) => !node.hidden);
  const next = visible[visible.indexOf(photo()) + by];
  if (next) location.replace("#" + next.node.id);
}

function closePhoto() {
  if (cameFromPage) history.back();
  else location.hash = "pictures";
  cameFromPage = false;
}

// The large picture is a dialog: it has the focus, and keeps it until it is closed.
let framed = null;
let focusBefore = null;
function framePhoto() {
  const large = photo();
  if (framed && framed !== large?.node) {
    framed.removeAttribute("role");
    framed.removeAttribute("aria-modal");
    if (!large) focusBefore?.focus?.({ preventScroll: true });
  }
  if (large && framed !== large.node) {
    if (!framed) focusBefore = document.activeElement;
    large.node.setAttribute("role", "dialog");
    large.node.ariaModal = "true";
    large.node.focus({ preventScroll: true });
  }
  framed = large?.node ?? null;
}

function keepFocus(event) {
  const inside = [...framed.querySelectorAll("a[href]")];
  const at = inside.indexOf(document.activeElement);
  event.preventDefault();
  inside.at((at + (event.shiftKey ? -1 : 1)) % inside.length)?.focus();
}
