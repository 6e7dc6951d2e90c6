// What the page knows of its checks. Those in plain HTML are read from it; those that are folded from the columns.
// Everything here is a comfort: the page reads well without it.
const list = document.querySelector(".every");
const WORD = { f: "failed", e: "errored", u: "undecided", s: "skipped", p: "passed" };

// One entry a check, in the order of the page: arrays side by side, as a large run has 100,000 of them.
const checks = { count: 0, outcome: "", node: [], id: [], seconds: [], suite: [], columns: null };
const suites = [...document.querySelectorAll(".every .suite")].map((box, at) => {
  const title = box.querySelector("h3");
  const name = [...title.childNodes].filter((node) => node.nodeName !== "SPAN").map((node) => node.textContent).join("").trim();
  return { at, box, name, aside: box.querySelector(".aside-of-suite"), fold: box.querySelector(".folded"), nodes: [...box.querySelectorAll(".check")], first: 0, folded: [] };
});

function readPlain() {
  for (const suite of suites) {
    suite.first = checks.node.length;
    for (const node of suite.nodes) {
      checks.node.push(node);
      checks.id.push(node.id);
      checks.outcome += node.classList[1][0];
      checks.seconds.push(Number(node.dataset.s));
      checks.suite.push(suite.at);
    }
  }
  checks.count = checks.node.length;
}

async function inflated(name) {
  const text = atob(document.getElementById(name).textContent);
  const bytes = new Uint8Array(text.length);
  for (let at = 0; at < text.length; at++) bytes[at] = text.charCodeAt(at);
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("gzip"));
  return new Response(stream).text();
}

// Ids of the usual length are packed, six bytes each; others stand by themselves.
function idsOf(columns) {
  const bytes = atob(document.getElementById("ids").textContent);
  const ids = new Array(columns.outcome.length);
  const hex = Array.from({ length: 256 }, (_, byte) => byte.toString(16).padStart(2, "0"));
  for (let check = 0, at = 0; check < ids.length; check++) {
    let id = "c-";
    for (const end = at + 6; at < end; at++) id += hex[bytes.charCodeAt(at)];
    ids[check] = columns.tail[check] === undefined ? id : id + columns.tail[check];
  }
  return ids;
}

async function readFolded() {
  const columns = JSON.parse(await inflated("columns"));
  Object.assign(checks, { columns, count: columns.outcome.length, outcome: columns.outcome, kind: columns.kind });
  checks.id = idsOf(columns);
  checks.shownSeconds = columns.seconds.split("\n");
  checks.seconds = Float64Array.from(checks.shownSeconds, Number);
  checks.took = columns.took.split("\n");
  checks.name = columns.name.split("\n");
  checks.node = new Array(checks.count).fill(null);
  checks.suite = new Uint32Array(checks.count);
  checks.order = new Uint32Array(checks.count); // a whole check's number among the whole ones
  let at = 0, whole = 0;
  columns.suites.forEach(([, size], number) => {
    const suite = suites[number];
    const nodes = new Map(suite.nodes.map((node) => [node.id, node]));
    suite.first = at;
    for (const end = at + size; at < end; at++) {
      checks.suite[at] = number;
      if (columns.kind[at] === "w") checks.order[at] = whole++;
      if (columns.kind[at] === "p") checks.node[at] = nodes.get(checks.id[at]);
      else suite.folded.push(at);
    }
  });
  checks.blocks = document.getElementById("blocks").textContent.split(" ").map(Number);
  checks.row = columns.row.split(/\ue000(\w+)\ue001/);
}

// Blocks of whole checks, inflated when one of theirs is shown; the ones used last are kept.
const blocks = new Map();
const MOST_BLOCKS = 300;
const loading = new Map();
function blockOf(check) {
  const starts = checks.blocks;
  let low = 0, high = starts.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (starts[middle] <= checks.order[check]) low = middle;
    else high = middle - 1;
  }
  return low;
}
function loadBlock(number) {
  if (!loading.has(number)) {
    loading.set(number, inflated(`block-${number}`).then((text) => {
      loading.delete(number);
      blocks.set(number, text.split("\0"));
      if (blocks.size > MOST_BLOCKS) blocks.delete(blocks.keys().next().value);
    }));
  }
  return loading.get(number);
}

// Names are text; this is the only place where one becomes HTML.
const escaped = (text) => text.replace(/[&<>"']/g, (char) => `&#${char.charCodeAt(0)};`);

// The HTML of a folded check: a simple one's row is filled, a whole one's is in its block, which must be loaded.
function htmlOf(check) {
  if (checks.kind[check] === "w") {
    const block = blockOf(check);
    return blocks.get(block)[checks.order[check] - checks.blocks[block]];
  }
  const values = {
    id: checks.id[check], seconds: checks.shownSeconds[check], outcome: WORD[checks.outcome[check]],
    name: checks.columns.html[check] ?? `<bdi>${escaped(checks.name[check])}</bdi>`, took: checks.took[check],
  };
  return checks.row.map((part, at) => (at % 2 ? values[part] : part)).join("");
}

// What search looks through, in lower case: made when it is first used, so that opening the page stays quick.
let texts = null;
let suiteTexts = null;
function prepareSearch() {
  if (texts) return;
  suiteTexts = suites.map((suite) => suite.name.toLowerCase());
  if (!checks.columns) {
    texts = checks.node.map((node) => [...node.querySelectorAll(".name, .problem, .reason, .type")].map((part) => part.textContent).join("\n").toLowerCase());
    return;
  }
  texts = checks.columns.name.toLowerCase().split("\n");
  for (const [check, more] of Object.entries(checks.columns.more)) texts[check] += "\n" + more.toLowerCase();
}

// Marks the checks that have every word, in their own texts or in their suite's name; 100,000 in some 50 ms.
function mark(fitting, words) {
  prepareSearch();
  for (const word of words) {
    const suiteHas = suiteTexts.map((text) => text.includes(word));
    for (let check = 0; check < fitting.length; check++) {
      if (fitting[check] && !suiteHas[checks.suite[check]] && !texts[check].includes(word)) fitting[check] = 0;
    }
  }
}

const nameOf = (check) => (checks.columns ? texts[check].split("\n", 1)[0] : checks.node[check].querySelector(".name").textContent.toLowerCase());

// Orders of all checks, each made once.
const orders = {};
function ordered(how) {
  if (orders[how]) return orders[how];
  const all = Array.from({ length: checks.count }, (_, check) => check);
  if (how === "slowest") all.sort((a, b) => checks.seconds[b] - checks.seconds[a]);
  else if (how === "name") {
    prepareSearch();
    // Numbers are padded, so that plain comparison puts 2 before 10: much faster than a collator.
    const keys = all.map((check) => nameOf(check).replace(/\d+/g, (digits) => digits.padStart(9, "0")) + "\u0000" + String(check).padStart(9, "0"));
    keys.sort();
    all.forEach((_, at) => { all[at] = Number(keys[at].slice(-9)); });
  }
  return (orders[how] = all);
}
