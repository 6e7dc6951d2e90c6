// Keys and clicks, and the start of it all.
let timer = 0;
// Keys of one character can be turned off. Source: WCAG 2.2, 2.1.4
const keysOn = tools?.querySelector(".keys input");
const STORED = "plain-verdict-keys";
function recallKeys() {
  try {
    keysOn.checked = localStorage.getItem(STORED) !== "off";
  } catch { /* no storage here: they are on */ }
  keysOn.addEventListener("change", () => {
    try {
      localStorage.setItem(STORED, keysOn.checked ? "on" : "off");
    } catch { /* kept for this page only */ }
  });
}

function listen() {
  input.addEventListener("input", () => {
    clearTimeout(timer);
    const later = () => { apply(); remember(); };
    if (checks.count > 2000) timer = setTimeout(later, 80);
    else later();
  });
  order.addEventListener("change", () => { apply(); remember(); });
  for (const button of buttons) {
    button.addEventListener("click", () => {
      button.ariaPressed = String(button.ariaPressed !== "true");
      apply();
      remember();
    });
  }
  for (const suite of suites) {
    suite.fold?.addEventListener("toggle", () => {
      if (!shown) suite.open = suite.fold.open;
      if (suite.fold.open) unfold(suite);
    });
  }
  recallKeys();
  tools.hidden = false;
}

addEventListener("hashchange", recall);
addEventListener("hashchange", framePhoto);
document.addEventListener("click", (event) => {
  // A click on the link that is already in the address bar changes no hash, but should work again.
  const link = event.target.closest("a[href^='#']");
  const large = photo();
  if (link?.closest(".photo:target .shot") || link?.matches(".photo .close")) {
    event.preventDefault();
    if (link.matches(".close")) closePhoto();
    else large.node.classList.toggle("actual");
    return;
  }
  if (link?.hash.startsWith("#pic-")) cameFromPage = true;
  if (link && link.hash === location.hash) recall();
});
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (photo() && ["Escape", "ArrowLeft", "ArrowRight"].includes(event.key)) {
    event.preventDefault();
    if (event.key === "Escape") closePhoto();
    else turn(event.key === "ArrowRight" ? 1 : -1);
  } else if (photo() && event.key === "Tab") {
    keepFocus(event);
  } else if (!list || tools.hidden) {
    return;
  } else if (event.key === "Escape") {
    if (document.activeElement === input && !input.value) input.blur();
    clear();
    remember();
  } else if (/^(input|select|textarea)$/i.test(event.target.tagName) || !keysOn.checked) {
    return;
  } else if (event.key === "/") {
    event.preventDefault();
    input.focus();
    input.select();
  } else if (event.key === "n") step(1);
  else if (event.key === "p") step(-1);
});
// A list in another order keeps only the rows near the window; on paper the suites have them all.
let orderBefore = "";
function printInSuites(printing) {
  if (!list || tools.hidden || (printing ? order.value === "suite" : !orderBefore)) return;
  [order.value, orderBefore] = printing ? ["suite", order.value] : [orderBefore, ""];
  apply();
}
addEventListener("afterprint", () => printInSuites(false));
addEventListener("beforeprint", () => {
  printInSuites(true);
  const fold = ".inside.failed .fold, .inside.errored .fold";
  for (const node of document.querySelectorAll(`details.check.failed, details.check.errored, ${fold}`)) node.open = true;
});

async function begin() {
  if (!list) return;
  if (!document.getElementById("columns")) readPlain();
  else if (typeof DecompressionStream === "undefined") {
    for (const note of list.querySelectorAll(".folded-note")) {
      note.textContent = "Folded checks can’t be opened here: this browser has no DecompressionStream. A newer one shows them; so does the layout “folder”.";
    }
    return;
  } else {
    await readFolded();
    for (const note of list.querySelectorAll(".folded-note")) note.remove();
    showSuites(false);
    // The first search should not wait for this; it is made while nothing else is to be done.
    (window.requestIdleCallback ?? setTimeout)(prepareSearch);
  }
  listen();
}
framePhoto();
const begun = begin();
if (!document.getElementById("columns")) recall();
else begun.then(recall).finally(() => { document.documentElement.dataset.ready = "yes"; });
