// What the page knows of its checks. Those in plain HTML are read from it; those that are folded from the columns.
// Everything here is a comfort: the page reads well without it.
import { find, findAll, need, textOf } from "./dom.js";
import { blockOf, bytesOf, idsOf, inflated } from "./packed.js";
import { byName, slowestFirst } from "./search.js";

/**
 * What Python packed of each check; see Columns in folding.py.
 * @typedef {object} Columns
 * @property {[string, number][]} suites
 * @property {string[]} outcomes
 * @property {string} outcome
 * @property {string[]} kinds
 * @property {string} of_kind
 * @property {string} kind
 * @property {Record<string, string>} tail
 * @property {string} seconds
 * @property {string} took
 * @property {string} name
 * @property {Record<string, string>} html
 * @property {Record<string, string>} more
 * @property {number[]} new_failures
 * @property {string} row
 */

/**
 * @typedef {object} Suite
 * @property {number} at
 * @property {HTMLElement} box
 * @property {string} name
 * @property {HTMLElement | null} outputs what the suite itself says
 * @property {HTMLDetailsElement | null} fold
 * @property {HTMLElement[]} nodes its checks in plain HTML
 * @property {number[]} folded its folded checks
 * @property {number[]} now those of them that are shown
 * @property {boolean | null} open whether its fold was opened by hand
 */

const KIND = { plain: "p", simple: "s", whole: "w" };
const KINDS = ["api", "load", "compliance"];
const FAILURES = ["failed", "errored"];
const MOST_BLOCKS = 300;
const ID_HOLE = "\ue000"; // stands for a check's id in its block

export const list = find(document, ".every");
export const isFolded = document.getElementById("columns") !== null;

/** @param {HTMLElement} title */
const nameOf = (title) =>
  [...title.childNodes]
    .filter((node) => node.nodeName !== "SPAN")
    .map((node) => node.textContent)
    .join("")
    .trim();

/** @type {Suite[]} */
export const suites = findAll(document, ".every .suite").map((box, at) => ({
  at,
  box,
  name: nameOf(need(box, "h3")),
  outputs: find(box, ".aside-of-suite"),
  fold: /** @type {HTMLDetailsElement | null} */ (find(box, ".folded")),
  nodes: findAll(box, ".check"),
  folded: [],
  now: [],
  open: null,
}));

/** One entry a check, in the order of the page: arrays side by side, as a large run has 100,000 of them. */
export const checks = {
  count: 0,
  /** @type {string[]} */
  outcome: [],
  /** @type {ArrayLike<string>} empty where all are of one kind */
  ofKind: [],
  /** @type {(HTMLElement | null)[]} */
  node: [],
  /** @type {string[]} */
  id: [],
  /** @type {ArrayLike<number>} */
  seconds: [],
  /** @type {ArrayLike<number>} */
  suite: [],
  /** @type {Set<number>} failures that are new since an earlier run */
  fresh: new Set(),
};

/** What only a folded page has. */
const folded = {
  /** @type {Columns | null} */
  columns: null,
  /** @type {string[]} */
  names: [],
  /** @type {string[]} */
  took: [],
  /** @type {string[]} */
  seconds: [],
  /** @type {string[]} */
  row: [],
  /** @type {number[]} */
  starts: [],
  /** @type {Uint32Array} */
  order: new Uint32Array(0), // a whole check's number among the whole ones
};

/** @param {number} check */
export const isFailure = (check) => FAILURES.includes(checks.outcome[check]);

export function readPlain() {
  const nodes = suites.flatMap((suite) => suite.nodes.map((node) => ({ node, suite: suite.at })));
  const outcomes = [...FAILURES, "undecided", "skipped", "passed"];
  Object.assign(checks, {
    count: nodes.length,
    node: nodes.map(({ node }) => node),
    id: nodes.map(({ node }) => node.id),
    outcome: nodes.map(({ node }) => outcomes.find((outcome) => node.classList.contains(outcome)) ?? ""),
    ofKind: nodes.map(({ node }) => KINDS.find((kind) => node.classList.contains(kind)) ?? "functional"),
    seconds: nodes.map(({ node }) => Number(node.dataset.s)),
    suite: nodes.map(({ suite }) => suite),
    fresh: new Set(nodes.flatMap(({ node }, check) => (node.classList.contains("new") ? [check] : []))),
  });
}

export async function readFolded() {
  /** @type {Columns} */
  const columns = JSON.parse(await inflated(textOf("columns")));
  const count = columns.outcome.length;
  folded.columns = columns;
  folded.names = columns.name.split("\n");
  folded.took = columns.took.split("\n");
  folded.seconds = columns.seconds.split("\n");
  folded.row = columns.row.split(/\ue000(\w+)\ue001/);
  folded.starts = textOf("blocks").split(" ").map(Number);
  folded.order = new Uint32Array(count);
  const suiteOf = new Uint32Array(count);
  Object.assign(checks, {
    count,
    outcome: Array.from(columns.outcome, (code) => columns.outcomes[Number(code)]),
    ofKind: Array.from(columns.of_kind, (code) => columns.kinds[Number(code)]),
    id: idsOf(bytesOf(textOf("ids")), columns.tail),
    seconds: Float64Array.from(folded.seconds, Number),
    node: new Array(count).fill(null),
    suite: suiteOf,
    fresh: new Set(columns.new_failures),
  });
  let at = 0;
  let whole = 0;
  columns.suites.forEach(([, size], number) => {
    const suite = suites[number];
    const nodes = new Map(suite.nodes.map((node) => [node.id, node]));
    for (const end = at + size; at < end; at++) {
      suiteOf[at] = number;
      if (columns.kind[at] === KIND.whole) folded.order[at] = whole++;
      if (columns.kind[at] === KIND.plain) checks.node[at] = nodes.get(checks.id[at]) ?? null;
      else suite.folded.push(at);
    }
  });
}

// Blocks of whole checks, inflated when one of theirs is shown; the ones used last are kept.
/** @type {Map<number, string[]>} */
const blocks = new Map();
/** @type {Map<number, Promise<void>>} */
const loading = new Map();

/** @param {number} check */
const blockOfCheck = (check) => blockOf(folded.starts, folded.order[check]);

/**
 * Returns the blocks that some checks stand in and that are not at hand.
 * @param {number[]} numbers
 */
export function missingBlocks(numbers) {
  const kind = folded.columns?.kind ?? "";
  const wanted = new Set(numbers.filter((check) => kind[check] === KIND.whole).map(blockOfCheck));
  return [...wanted].filter((block) => !blocks.has(block));
}

/**
 * @param {number} number
 * @returns {Promise<void>}
 */
export function loadBlock(number) {
  const begun = loading.get(number);
  if (begun) return begun;
  const loaded = inflated(textOf(`block-${number}`)).then((text) => {
    loading.delete(number);
    blocks.set(number, text.split("\0"));
    const [oldest] = blocks.keys();
    if (blocks.size > MOST_BLOCKS) blocks.delete(oldest);
  });
  loading.set(number, loaded);
  return loaded;
}

/**
 * Names are text; this is the only place where one becomes HTML.
 * @param {string} text
 */
const escaped = (text) => text.replace(/[&<>"']/g, (char) => `&#${char.charCodeAt(0)};`);

/**
 * The HTML of a folded check: a simple one's row is filled, a whole one's is in its block, which must be loaded.
 * @param {number} check
 */
export function htmlOf(check) {
  const { columns } = folded;
  if (!columns) return "";
  if (columns.kind[check] === KIND.whole) {
    const block = blockOfCheck(check);
    const whole = blocks.get(block)?.[folded.order[check] - folded.starts[block]] ?? "";
    return whole.replaceAll(ID_HOLE, escaped(checks.id[check]));
  }
  /** @type {Record<string, string>} */
  const values = {
    id: checks.id[check],
    seconds: folded.seconds[check],
    outcome: checks.outcome[check],
    name: columns.html[check] ?? `<bdi>${escaped(folded.names[check])}</bdi>`,
    took: folded.took[check],
    kind: KINDS.includes(checks.ofKind[check]) ? ` ${checks.ofKind[check]}` : "",
  };
  return folded.row.map((part, at) => (at % 2 ? values[part] : part)).join("");
}

// What search looks through, in lower case: made when it is first used, so that opening the page stays quick.
/** @type {string[] | null} */
let texts = null;
/** @type {string[]} */
let suiteTexts = [];

/** Returns what search looks through. */
export function searchTexts() {
  if (texts) return { texts, suiteTexts };
  suiteTexts = suites.map((suite) => suite.name.toLowerCase());
  const { columns } = folded;
  if (columns) {
    texts = columns.name.toLowerCase().split("\n");
    for (const [check, more] of Object.entries(columns.more)) texts[Number(check)] += `\n${more.toLowerCase()}`;
  } else {
    texts = checks.node.map((node) => {
      const parts = node ? findAll(node, ".name, .problem, .reason, .type, .call, .answer") : [];
      return parts
        .map((part) => part.textContent)
        .join("\n")
        .toLowerCase();
    });
  }
  return { texts, suiteTexts };
}

/**
 * Returns checks as rows of a table, its heading first.
 * @param {number[]} numbers
 */
export function rowsOf(numbers) {
  const { columns } = folded;
  const head = ["check_id", "kind", "suite", "check", "outcome", "took_s", "new", "message"];
  const rows = numbers.map((check) => {
    const node = checks.node[check];
    const seconds = checks.seconds[check];
    return [
      checks.id[check],
      checks.ofKind[check] || "functional",
      suites[checks.suite[check]].name,
      nameOfCheck(check),
      checks.outcome[check],
      seconds > 0 ? String(seconds) : "",
      checks.fresh.has(check) ? "yes" : "no",
      node ? lineIn(node, ".problem > bdi:first-child") : (columns?.more[check] ?? "").split("\n", 1)[0],
    ];
  });
  return [head, ...rows];
}

/**
 * Returns a check's name with its parameters.
 * @param {number} check
 */
export function nameOfCheck(check) {
  const node = checks.node[check];
  return node ? lineIn(node, ".name > bdi, .name > .param") : folded.names[check];
}

/**
 * @param {HTMLElement} node
 * @param {string} selector
 */
const lineIn = (node, selector) =>
  findAll(node, selector)
    .map((part) => part.textContent)
    .join(" ")
    .replace(/\s+/g, " ")
    .trim();

function lowerNames() {
  if (folded.columns) return searchTexts().texts.map((text) => text.split("\n", 1)[0]);
  return checks.node.map((node) => (node ? (need(node, ".name").textContent?.toLowerCase() ?? "") : ""));
}

/** @type {Map<string, number[]>} */
const orders = new Map();

/**
 * Returns the numbers of all checks by their owners, what nobody owns last.
 * @param {Map<number, string>} owners
 */
export function byOwner(owners) {
  const others = checks.id.map((_, check) => check).filter((check) => !owners.has(check));
  return [...owners.keys(), ...others];
}

/**
 * Returns the numbers of all checks in an order; each is made once.
 * @param {string} how
 */
export function ordered(how) {
  const made = orders.get(how) ?? (how === "name" ? byName(lowerNames()) : slowestFirst(checks.seconds));
  orders.set(how, made);
  return made;
}
