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
