// Search, filters, order, keys and links of the page. Everything here is a comfort: the page reads well without it.
"use strict";
(() => {
  const list = document.querySelector(".every");
  if (!list) return;
  const tools = list.querySelector(".tools");
  const input = tools.querySelector("input");
  const order = tools.querySelector("select");
  const buttons = [...tools.querySelectorAll("button")];
  const state = tools.querySelector(".state");
  const flat = list.querySelector(".flat");
  const suites = [...list.querySelectorAll(".suite")].map((box) => ({
    box,
    name: box.querySelector("h3").firstChild ? suiteName(box) : "",
    aside: box.querySelector(".aside-of-suite"),
    checks: [...box.querySelectorAll(".check")],
  }));
  const checks = suites.flatMap((suite) => suite.checks.map((node) => ({ node, suite, outcome: node.classList[1] })));
  const groups = [...list.querySelectorAll(".group")];
  const photos = [...document.querySelectorAll(".photo")].map((node) => ({ node, ids: node.dataset.checks.split(" ") }));
  const byId = new Map(checks.map((check) => [check.node.id, check]));
  let searched = false;
  tools.hidden = false;

  function suiteName(box) {
    return [...box.querySelector("h3").childNodes].filter((node) => node.nodeName !== "SPAN").map((node) => node.textContent).join("").trim();
  }

  // What search looks through is gathered when it is first used, so that opening the page stays quick.
  function prepareSearch() {
    if (searched) return;
    searched = true;
    for (const check of checks) {
      const parts = [...check.node.querySelectorAll(".name, .problem, .reason, .type")].map((part) => part.textContent);
      check.name = check.node.querySelector(".name").textContent;
      check.text = [check.suite.name, ...parts].join("\n").toLowerCase();
    }
  }

  function apply() {
    const words = input.value.toLowerCase().split(/\s+/).filter(Boolean);
    const wanted = buttons.filter((button) => button.ariaPressed === "true").map((button) => button.value);
    if (words.length || order.value === "name") prepareSearch();
    let shown = 0;
    for (const check of checks) {
      check.shown = (!wanted.length || wanted.includes(check.outcome)) && words.every((word) => check.text.includes(word));
      check.node.hidden = !check.shown;
      shown += check.shown;
    }
    arrange();
    for (const group of groups) group.hidden = [...group.querySelectorAll(".check")].every((node) => node.hidden);
    const narrowed = words.length > 0 || wanted.length > 0;
    for (const photo of photos) photo.node.hidden = narrowed && !photo.ids.some((id) => byId.get(id)?.shown);
    for (const suite of suites) {
      suite.box.hidden = order.value !== "suite" || (narrowed && suite.checks.every((node) => node.hidden));
      if (suite.aside) suite.aside.hidden = narrowed;
    }
    const all = checks.length.toLocaleString("en");
    state.textContent = narrowed ? (shown ? `${shown.toLocaleString("en")} of ${all} checks shown` : `None of ${all} checks fits. Esc shows all.`) : "";
  }

  // Puts the checks into one list, or back into their suites.
  let arranged = "suite";
  function arrange() {
    if (order.value === arranged) return;
    arranged = order.value;
    flat.hidden = arranged === "suite";
    for (const check of checks) {
      // A comment keeps each check's place, so that it can go back there.
      check.spot ??= document.createComment("");
      if (check.spot.parentNode) check.spot.replaceWith(check.node);
      check.node.querySelector(".place")?.remove();
    }
    if (arranged === "suite") return;
    const sorted = [...checks];
    if (arranged === "slowest") sorted.sort((a, b) => b.node.dataset.s - a.node.dataset.s);
    else sorted.sort((a, b) => a.name.localeCompare(b.name, "en", { numeric: true }));
    for (const { node, suite, spot } of sorted) {
      node.replaceWith(spot);
      if (suite.name && !node.querySelector(".place")) {
        const place = document.createElement("small");
        place.className = "place";
        place.textContent = suite.name;
        node.querySelector(".name").append(place);
      }
      flat.append(node);
    }
  }

  // The view is kept in the fragment, so that it can be sent: #show=failed,errored&find=fare&order=slowest
  function remember() {
    const view = [];
    const wanted = buttons.filter((button) => button.ariaPressed === "true").map((button) => button.value);
    if (wanted.length) view.push("show=" + wanted.join(","));
    if (input.value.trim()) view.push("find=" + encodeURIComponent(input.value.trim()));
    if (order.value !== "suite") view.push("order=" + order.value);
    history.replaceState(null, "", view.length ? "#" + view.join("&") : location.pathname + location.search);
  }

  function recall() {
    const fragment = location.hash.slice(1);
    const check = byId.get(fragment);
    photo()?.node.querySelector(".close").focus();
    if (check) return open(check);
    if (!fragment.includes("=")) return;
    const view = new Map(fragment.split("&").map((part) => part.split(/=(.*)/s, 2)));
    const wanted = (view.get("show") ?? "").split(",");
    for (const button of buttons) button.ariaPressed = String(wanted.includes(button.value));
    try {
      input.value = decodeURIComponent(view.get("find") ?? "");
    } catch {
      input.value = "";
    }
    order.value = ["slowest", "name"].includes(view.get("order")) ? view.get("order") : "suite";
    apply();
    list.parentElement.scrollIntoView();
  }

  function open(check) {
    if (check.node.hidden) clear();
    const group = check.node.closest(".group");
    if (group) group.open = true;
    if (check.node.tagName === "DETAILS") check.node.open = true;
    check.node.scrollIntoView({ block: "start" });
    (check.node.querySelector("summary") ?? check.node).focus({ preventScroll: true });
  }

  // Pictures: the page itself shows the one that the fragment names; here are keys, and the way back.
  const photo = () => photos.find(({ node }) => "#" + node.id === location.hash);
  let cameFromPage = false;
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

  function clear() {
    input.value = "";
    for (const button of buttons) button.ariaPressed = "false";
    apply();
  }

  let current = null;
  function step(by) {
    const failures = [...list.querySelectorAll(".check.failed:not([hidden]), .check.errored:not([hidden])")];
    if (!failures.length) return;
    const at = failures.indexOf(current);
    current = failures[at < 0 ? (by > 0 ? 0 : failures.length - 1) : (at + by + failures.length) % failures.length];
    open(byId.get(current.id));
    state.textContent = `Failure ${failures.indexOf(current) + 1} of ${failures.length}`;
  }

  let timer = 0;
  input.addEventListener("input", () => {
    clearTimeout(timer);
    timer = setTimeout(() => { apply(); remember(); }, checks.length > 2000 ? 120 : 0);
  });
  order.addEventListener("change", () => { apply(); remember(); });
  for (const button of buttons) {
    button.addEventListener("click", () => {
      button.ariaPressed = String(button.ariaPressed !== "true");
      apply();
      remember();
    });
  }
  addEventListener("hashchange", recall);
  document.addEventListener("click", (event) => {
    // A click on the link that is already in the address bar changes no hash, but should work again.
    const link = event.target.closest("a[href^='#']");
    const shown = photo();
    if (link?.closest(".photo:target .shot") || link?.matches(".photo .close")) {
      event.preventDefault();
      if (link.matches(".close")) closePhoto();
      else shown.node.classList.toggle("actual");
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
    } else if (event.key === "Escape") {
      if (document.activeElement === input && !input.value) input.blur();
      clear();
      remember();
    } else if (/^(input|select|textarea)$/i.test(event.target.tagName)) {
      return;
    } else if (event.key === "/") {
      event.preventDefault();
      input.focus();
      input.select();
    } else if (event.key === "n") step(1);
    else if (event.key === "p") step(-1);
  });
  addEventListener("beforeprint", () => {
    for (const node of document.querySelectorAll("details.failed, details.errored, .inside.failed .fold, .inside.errored .fold")) node.open = true;
  });
  recall();
})();
