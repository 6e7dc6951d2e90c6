// Copies a failure as Markdown for a ticket, and the address of a check. All is taken from the page, as it is masked.
import { addToOpened } from "./compared.js";
import { find, findAll } from "./dom.js";

const TOLD_MS = 2000;
const MOST_LISTED = 10;

/** @param {Element | null} node */
const textIn = (node) => (node?.textContent ?? "").replace(/\s+/g, " ").trim();

/** @param {string} fragment */
const addressOf = (fragment) => `${location.href.split("#")[0]}#${fragment}`;

/**
 * Returns a text as a block of code that nothing in it can end. Source: CommonMark 0.31, section 4.5.
 * @param {string} text
 * @param {string} language
 */
export function fenced(text, language = "") {
  const longest = Math.max(2, ...(text.match(/`+/g) ?? []).map((run) => run.length));
  const fence = "`".repeat(longest + 1);
  return `${fence}${language}\n${text.replace(/\n+$/, "")}\n${fence}`;
}

/**
 * Returns a text as one line of Markdown in which nothing is markup. Source: CommonMark 0.31, section 2.4.
 * @param {string} text
 */
export const plainLine = (text) =>
  text
    .replace(/\s+/g, " ")
    .trim()
    .replace(/[\\`*_[\]<>|]/g, "\\$&");

/**
 * Returns an item of a list; a text of several lines stands below its label, as it is.
 * @param {string} label
 * @param {string} text
 */
function item(label, text) {
  if (!text.trim()) return [];
  return text.trim().includes("\n")
    ? [`- ${label}:\n\n${fenced(text.trim())}\n`]
    : [`- ${label}: ${plainLine(text)}`];
}

/** Returns the facts that identify the run, as they stand under its title. */
const runFacts = () => findAll(document, ".identity li").map(textIn).join(", ");

/** @param {HTMLElement} inside */
function expectedAndActual(inside) {
  const [expected, actual] = findAll(inside, ":scope > .two bdi").map((node) => node.textContent ?? "");
  if (expected !== undefined) return [...item("Expected", expected), ...item("Actual", actual ?? "")];
  return findAll(inside, ":scope > .type").flatMap((node) => {
    const label = textIn(find(node, ".soft"));
    const value = find(node, "bdi");
    return ["Expected", "Actual"].includes(label) && value ? item(label, value.textContent ?? "") : [];
  });
}

/** @param {HTMLElement} inside */
function expectations(inside) {
  const rows = findAll(inside, ".expectations li").filter((row) => find(row, ".outcome.failed, .outcome.errored"));
  return rows.flatMap((row) => {
    const [expected, actual] = findAll(row, ".two bdi").map((node) => node.textContent ?? "");
    const subject = textIn(find(row, ".what > bdi"));
    const wanted = expected ?? textIn(find(row, ".what .mono"));
    const came = actual ?? textIn(find(row, ".actual"));
    return item(subject, [wanted && `expected ${wanted}`, came && `came ${came}`].filter(Boolean).join(", "));
  });
}

/** @param {HTMLElement} inside */
function calls(inside) {
  return findAll(inside, ".exchange.wrong").flatMap((exchange) => {
    const [call, answer] = [textIn(find(exchange, ".call")), textIn(find(exchange, ".answer"))];
    const curl = findAll(exchange, ":scope > .fold pre").at(-1)?.textContent ?? "";
    return ["", `Request: ${plainLine(call)}, answer: ${plainLine(answer)}`, "", fenced(curl, "sh")];
  });
}

/**
 * Returns the value of a row of facts.
 * @param {HTMLElement} inside
 * @param {string} label
 */
function fact(inside, label) {
  const row = findAll(inside, ".facts > div").find((one) => textIn(find(one, "dt")) === label);
  return textIn(row ? find(row, "dd") : null);
}

/**
 * Returns a check as Markdown.
 * @param {HTMLElement} check
 */
export function ticketOfCheck(check) {
  const inside = /** @type {HTMLElement} */ (find(check, ".inside") ?? check);
  const name = findAll(check, "summary .name > bdi, summary .name > .param").map(textIn).join(" ");
  const heading = check.closest(".suite") && find(/** @type {HTMLElement} */ (check.closest(".suite")), "h3");
  const suite = heading ? findAll(heading, ":scope > bdi").map(textIn).join(" › ") : "";
  const variant = [textIn(find(check, "summary .name > small:not(.first-line, .place)"))].filter(Boolean);
  const outcome = textIn(find(check, "summary .outcome"));
  const took = textIn(find(check, "summary .took"));
  const steps = findAll(inside, ".steps .row.failed .what > bdi, .steps .row.errored .what > bdi").map(textIn);
  const message = textIn(find(inside, ".problem > bdi")) || textIn(find(inside, ".reason"));
  const more = find(inside, ":scope > .more")?.textContent ?? "";
  return [
    `### ${plainLine(name)}`,
    "",
    plainLine([suite, `${outcome}${took ? ` after ${took}` : ""}`, ...variant].filter(Boolean).join(" · ")),
    "",
    ...(message ? [`**${plainLine(message)}**`, ""] : []),
    ...(more.trim() ? [fenced(more), ""] : []),
    ...expectedAndActual(inside),
    ...expectations(inside),
    ...item("Failing step", [...new Set(steps)].join(" › ")),
    ...item("Cause", fact(inside, "Cause")),
    ...item("Written in", fact(inside, "Written in")),
    ...item("Run", runFacts()),
    ...item("History", textIn(find(inside, ".trace span"))),
    `- Report: <${addressOf(check.id)}>`,
    ...calls(inside),
    "",
  ].join("\n");
}

/**
 * Returns a cause as Markdown.
 * @param {HTMLElement} cause
 */
export function ticketOfCause(cause) {
  const links = findAll(cause, "li");
  const single = find(cause, "h3 a");
  const listed = links.slice(0, MOST_LISTED).map((row) => {
    const link = /** @type {HTMLAnchorElement | null} */ (find(row, "a"));
    const suite = textIn(find(row, "small"));
    const name = plainLine(`${textIn(link ?? row)}${link && suite ? ` (${suite})` : ""}`);
    return `- ${name}${link ? `: <${link.href}>` : ""}`;
  });
  const number = textIn(find(cause, ".count"));
  const view = find(cause, ".show-these")?.dataset.view;
  const address = /** @type {HTMLAnchorElement | null} */ (single)?.href ?? addressOf(view ?? "why");
  const traits = findAll(cause, ".traits > span").map(textIn);
  return [
    `### ${plainLine(textIn(find(cause, "h3 bdi") ?? find(cause, "h3")))}`,
    "",
    plainLine([number === "1" ? "1 check" : `${number} checks`, ...traits].join(" · ")),
    "",
    ...(find(cause, ".msg") ? [fenced(textIn(find(cause, ".msg"))), ""] : []),
    ...findAll(cause, ".two > div").flatMap((side) => {
      const label = textIn(find(side, "span"));
      return item(label.charAt(0).toUpperCase() + label.slice(1), find(side, "bdi")?.textContent ?? "");
    }),
    ...item("What to do", textIn(find(cause, ".do"))),
    ...item("Run", runFacts()),
    `- Report: <${address}>`,
    ...(listed.length ? ["", ...listed] : []),
    ...(links.length > MOST_LISTED ? [`- and ${links.length - MOST_LISTED} more`] : []),
    "",
  ].join("\n");
}

/**
 * Copies a text; a page that came by plain HTTP may not use the clipboard itself.
 * @param {string} text
 */
async function copy(text) {
  try {
    await navigator.clipboard.writeText(text);
    return true;
  } catch {
    const area = document.createElement("textarea");
    area.value = text;
    (document.querySelector("dialog[open]") ?? document.body).append(area);
    area.select();
    const done = document.execCommand("copy");
    area.remove();
    return done;
  }
}

/**
 * @param {string} words
 * @param {() => string} text
 */
function button(words, text) {
  const made = document.createElement("button");
  made.type = "button";
  made.className = "plain copies";
  made.textContent = words;
  made.setAttribute("aria-live", "polite");
  made.addEventListener("click", async () => {
    const done = await copy(text());
    made.focus();
    made.textContent = done ? "Copied" : "This browser does not allow it";
    setTimeout(() => {
      made.textContent = words;
    }, TOLD_MS);
  });
  return made;
}

/**
 * Adds the buttons to a check when it is opened.
 * @param {HTMLElement} check
 */
function addTo(check) {
  addToOpened(check);
  const row = findAll(check, ":scope > .inside > .facts > div").at(-1);
  if (!row || find(row, ".copies")) return;
  const place = find(row, "dd") ?? row;
  place.append(
    " ",
    button("Copy link", () => addressOf(check.id)),
  );
  if (check.matches(".failed, .errored"))
    place.append(
      " ",
      button("Copy for a ticket", () => ticketOfCheck(check)),
    );
}

export function startTickets() {
  for (const cause of findAll(document, ".cause")) {
    find(cause, ".traits")?.append(button("Copy for a ticket", () => ticketOfCause(cause)));
  }
  for (const check of findAll(document, "details.check[open]")) addTo(check);
  // The event does not bubble, but it is seen on the way down.
  document.addEventListener(
    "toggle",
    (event) => {
      const node = event.target;
      if (node instanceof HTMLDetailsElement && node.open && node.matches(".check")) addTo(node);
    },
    true,
  );
}
