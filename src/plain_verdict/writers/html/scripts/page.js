"use strict";
(() => {
  // src/plain_verdict/writers/html/scripts/modules/dom.js
  var find = (root, selector) => root.querySelector(selector);
  function need(root, selector) {
    const found = find(root, selector);
    if (!found) throw new Error(`the page has no ${selector}`);
    return found;
  }
  var findAll = (root, selector) => [...root.querySelectorAll(
    /** @type {"div"} */
    selector
  )];
  var isDetails = (node) => node.tagName === "DETAILS";
  var textOf = (id) => document.getElementById(id)?.textContent ?? "";
  var inWords = (count) => count.toLocaleString("en");

  // src/plain_verdict/writers/html/scripts/modules/charts.js
  var SVG = "http://www.w3.org/2000/svg";
  var LONG_TABLE = 8;
  function stepAt(steps, share) {
    const rows = steps.length - 1;
    const at = Math.min(rows - 1, Math.max(0, Math.floor(share * rows)));
    const [heads, row] = [steps[0], steps[at + 1]];
    const told = heads.slice(1).map((head, place) => `${head.toLowerCase()} ${row[place + 1]}`);
    return { at, words: `${row[0]}: ${told.join(", ")}` };
  }
  function addCursor(chart) {
    const steps = (chart.dataset.steps ?? "").split("\n").map((row) => row.split("|"));
    if (steps.length < 2) return;
    const words = document.createElement("p");
    words.className = "cursor-words soft";
    words.setAttribute("aria-hidden", "true");
    const line = document.createElementNS(SVG, "line");
    line.setAttribute("class", "cursor");
    line.setAttribute("y1", "8");
    line.setAttribute("y2", String(chart.viewBox.baseVal.height - 22));
    (chart.closest(".plot") ?? chart).after(words);
    chart.addEventListener("pointermove", (event) => {
      const box = chart.getBoundingClientRect();
      const { at, words: told } = stepAt(steps, (event.clientX - box.left) / box.width);
      const { x, width } = chart.viewBox.baseVal;
      const middle = x + (at + 0.5) * width / (steps.length - 1);
      line.setAttribute("x1", String(middle));
      line.setAttribute("x2", String(middle));
      chart.append(line);
      words.textContent = told;
    });
    chart.addEventListener("pointerleave", () => {
      line.remove();
      words.textContent = "";
    });
  }
  function addFind(table) {
    const rows = findAll(table, "tbody tr:not(.group-head)");
    if (rows.length < LONG_TABLE) return;
    const field = document.createElement("input");
    field.type = "search";
    field.className = "find-rows";
    field.setAttribute("aria-label", `Find a ${table.dataset.find}`);
    field.placeholder = `Find a ${table.dataset.find}`;
    field.addEventListener("input", () => {
      const wanted = field.value.toLowerCase().split(/\s+/).filter(Boolean);
      for (const row of rows) {
        const text = (find(row, "th")?.textContent ?? "").toLowerCase();
        row.hidden = !wanted.every((word) => text.includes(word));
      }
      for (const group of table.tBodies) {
        group.hidden = findAll(group, "tr:not(.group-head)").every((row) => row.hidden);
      }
    });
    (table.closest(".wide") ?? table).before(field);
  }
  function startCharts() {
    for (const chart of document.querySelectorAll("svg[data-steps]")) addCursor(
      /** @type {SVGSVGElement} */
      chart
    );
    for (const table of document.querySelectorAll("table[data-find]"))
      addFind(
        /** @type {HTMLTableElement} */
        table
      );
  }

  // src/plain_verdict/writers/html/scripts/modules/packed.js
  var ID_BYTES = 6;
  function bytesOf(text) {
    const decoded2 = atob(text);
    const bytes = new Uint8Array(decoded2.length);
    for (let at = 0; at < decoded2.length; at++) bytes[at] = decoded2.charCodeAt(at);
    return bytes;
  }
  function inflated(text) {
    const stream = new Blob([bytesOf(text)]).stream().pipeThrough(new DecompressionStream("gzip"));
    return new Response(stream).text();
  }
  function idsOf(bytes, tails) {
    const hex = Array.from({ length: 256 }, (_, byte) => byte.toString(16).padStart(2, "0"));
    return Array.from({ length: bytes.length / ID_BYTES }, (_, check) => {
      let id = "c-";
      for (let at = check * ID_BYTES; at < (check + 1) * ID_BYTES; at++) id += hex[bytes[at]];
      return id + (tails[check] ?? "");
    });
  }
  function blockOf(starts, order) {
    let low = 0;
    let high = starts.length - 1;
    while (low < high) {
      const middle = low + high + 1 >> 1;
      if (starts[middle] <= order) low = middle;
      else high = middle - 1;
    }
    return low;
  }

  // src/plain_verdict/writers/html/scripts/modules/search.js
  var wordsOf = (text) => text.toLowerCase().split(/\s+/).filter(Boolean);
  function keepMatches(shown, words, texts2, suiteTexts2, suiteOf) {
    for (const word of words) {
      const suiteHas = suiteTexts2.map((text) => text.includes(word));
      for (let check = 0; check < shown.length; check++) {
        if (shown[check] && !suiteHas[suiteOf[check]] && !texts2[check].includes(word)) shown[check] = 0;
      }
    }
  }
  function slowestFirst(seconds) {
    const all = Array.from(seconds, (_, check) => check);
    return all.sort((one, other) => seconds[other] - seconds[one]);
  }
  var ZEROS = "0".repeat(9);
  var padded = (digits) => digits.length < ZEROS.length ? ZEROS.slice(digits.length) + digits : digits;
  function byName(names) {
    const numbers = /* @__PURE__ */ new Map();
    for (let check = 0; check < names.length; check++) {
      const key2 = names[check].replace(/\d+/g, padded);
      const same = numbers.get(key2);
      if (same) same.push(check);
      else numbers.set(key2, [check]);
    }
    return [...numbers.keys()].sort().flatMap((key2) => numbers.get(key2) ?? []);
  }

  // src/plain_verdict/writers/html/scripts/modules/checks.js
  var KIND = { plain: "p", simple: "s", whole: "w" };
  var KINDS = ["api", "load", "compliance"];
  var FAILURES = ["failed", "errored"];
  var MOST_BLOCKS = 300;
  var ID_HOLE = "";
  var list = find(document, ".every");
  var isFolded = document.getElementById("columns") !== null;
  var nameOf = (title) => [...title.childNodes].filter((node) => node.nodeName !== "SPAN").map((node) => node.textContent).join("").trim();
  var suites = findAll(document, ".every .suite").map((box, at) => ({
    at,
    box,
    name: nameOf(need(box, "h3")),
    outputs: find(box, ".aside-of-suite"),
    fold: (
      /** @type {HTMLDetailsElement | null} */
      find(box, ".folded")
    ),
    nodes: findAll(box, ".check"),
    folded: [],
    now: [],
    open: null
  }));
  var checks = {
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
    fresh: /* @__PURE__ */ new Set()
  };
  var folded = {
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
    order: new Uint32Array(0)
    // a whole check's number among the whole ones
  };
  var isFailure = (check) => FAILURES.includes(checks.outcome[check]);
  function readPlain() {
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
      fresh: new Set(nodes.flatMap(({ node }, check) => node.classList.contains("new") ? [check] : []))
    });
  }
  async function readFolded() {
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
      fresh: new Set(columns.new_failures)
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
  var blocks = /* @__PURE__ */ new Map();
  var loading = /* @__PURE__ */ new Map();
  var blockOfCheck = (check) => blockOf(folded.starts, folded.order[check]);
  function missingBlocks(numbers) {
    const kind = folded.columns?.kind ?? "";
    const wanted = new Set(numbers.filter((check) => kind[check] === KIND.whole).map(blockOfCheck));
    return [...wanted].filter((block) => !blocks.has(block));
  }
  function loadBlock(number) {
    const begun2 = loading.get(number);
    if (begun2) return begun2;
    const loaded = inflated(textOf(`block-${number}`)).then((text) => {
      loading.delete(number);
      blocks.set(number, text.split("\0"));
      const [oldest] = blocks.keys();
      if (blocks.size > MOST_BLOCKS) blocks.delete(oldest);
    });
    loading.set(number, loaded);
    return loaded;
  }
  var escaped = (text) => text.replace(/[&<>"']/g, (char) => `&#${char.charCodeAt(0)};`);
  function htmlOf(check) {
    const { columns } = folded;
    if (!columns) return "";
    if (columns.kind[check] === KIND.whole) {
      const block = blockOfCheck(check);
      const whole = blocks.get(block)?.[folded.order[check] - folded.starts[block]] ?? "";
      return whole.replaceAll(ID_HOLE, escaped(checks.id[check]));
    }
    const values = {
      id: checks.id[check],
      seconds: folded.seconds[check],
      outcome: checks.outcome[check],
      name: columns.html[check] ?? `<bdi>${escaped(folded.names[check])}</bdi>`,
      took: folded.took[check],
      kind: KINDS.includes(checks.ofKind[check]) ? ` ${checks.ofKind[check]}` : ""
    };
    return folded.row.map((part, at) => at % 2 ? values[part] : part).join("");
  }
  var texts = null;
  var suiteTexts = [];
  function searchTexts() {
    if (texts) return { texts, suiteTexts };
    suiteTexts = suites.map((suite) => suite.name.toLowerCase());
    const { columns } = folded;
    if (columns) {
      texts = columns.name.toLowerCase().split("\n");
      for (const [check, more] of Object.entries(columns.more)) texts[Number(check)] += `
${more.toLowerCase()}`;
    } else {
      texts = checks.node.map((node) => {
        const parts = node ? findAll(node, ".name, .problem, .reason, .type, .call, .answer") : [];
        return parts.map((part) => part.textContent).join("\n").toLowerCase();
      });
    }
    return { texts, suiteTexts };
  }
  function rowsOf(numbers) {
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
        node ? lineIn(node, ".problem > bdi:first-child") : (columns?.more[check] ?? "").split("\n", 1)[0]
      ];
    });
    return [head, ...rows];
  }
  function nameOfCheck(check) {
    const node = checks.node[check];
    return node ? lineIn(node, ".name > bdi, .name > .param") : folded.names[check];
  }
  var lineIn = (node, selector) => findAll(node, selector).map((part) => part.textContent).join(" ").replace(/\s+/g, " ").trim();
  function lowerNames() {
    if (folded.columns) return searchTexts().texts.map((text) => text.split("\n", 1)[0]);
    return checks.node.map((node) => node ? need(node, ".name").textContent?.toLowerCase() ?? "" : "");
  }
  var orders = /* @__PURE__ */ new Map();
  function ordered(how) {
    const made = orders.get(how) ?? (how === "name" ? byName(lowerNames()) : slowestFirst(checks.seconds));
    orders.set(how, made);
    return made;
  }

  // src/plain_verdict/writers/html/scripts/modules/facets.js
  var loading2 = null;
  function loadFacets() {
    const packed = textOf("facets");
    loading2 ??= packed ? inflated(packed).then((text) => JSON.parse(text)) : Promise.resolve([]);
    return loading2;
  }
  function numbersOf(ranges) {
    return ranges.split(",").flatMap((range) => {
      const [from, to = from] = range.split("-").map(Number);
      return Array.from({ length: to - from + 1 }, (_, at) => from + at);
    });
  }
  function keepOnly(shown, facets, only) {
    for (const key2 of new Set(only.map(([key3]) => key3))) {
      const kept = new Uint8Array(shown.length);
      const values = facets.find(([name]) => name === key2)?.[2] ?? [];
      for (const [value, ranges] of values) {
        if (!only.some((pair) => pair[0] === key2 && pair[1] === value)) continue;
        for (const check of numbersOf(ranges)) kept[check] = 1;
      }
      for (let check = 0; check < shown.length; check++) shown[check] &= kept[check];
    }
  }
  var FacetFilters = class {
    /**
     * @param {HTMLElement} tools
     * @param {() => void} changed
     */
    constructor(tools, changed) {
      this.label = need(tools, ".add-filter");
      this.select = /** @type {HTMLSelectElement} */
      need(tools, "select[name=only]");
      this.chips = need(tools, ".chips");
      this.changed = changed;
      this.facets = [];
      this.only = [];
      this.select.addEventListener("change", () => {
        const [key2, at] = this.select.value.split(" ");
        const value = this.facets.find(([name]) => name === key2)?.[2][Number(at)];
        this.select.value = "";
        if (value) this.set([...this.only, [key2, value[0]]]);
        this.changed();
      });
      this.chips.addEventListener("click", (event) => {
        const chip = (
          /** @type {Element} */
          event.target.closest("button")
        );
        if (!chip) return;
        const at = [...this.chips.children].indexOf(chip);
        this.set(this.only.filter((_, number) => number !== at));
        this.changed();
        (find(this.chips, "button") ?? this.select).focus();
      });
    }
    async load() {
      if (this.facets.length) return;
      this.facets = await loadFacets();
      for (const [key2, label, values] of this.facets) {
        const group = document.createElement("optgroup");
        group.label = label;
        values.forEach(([value, ranges], at) => {
          group.append(new Option(`${value} (${inWords(numbersOf(ranges).length)})`, `${key2} ${at}`));
        });
        this.select.append(group);
      }
      this.label.hidden = !this.facets.length;
      this.show();
    }
    /** @param {[string, string][]} only */
    set(only) {
      const seen = /* @__PURE__ */ new Set();
      this.only = only.filter((pair) => !seen.has(pair.join("\n")) && seen.add(pair.join("\n")));
      this.show();
    }
    show() {
      this.chips.hidden = !this.only.length;
      this.chips.replaceChildren(
        ...this.only.map(([key2, value]) => {
          const label = this.facets.find(([name]) => name === key2)?.[1] ?? key2;
          const chip = document.createElement("button");
          chip.type = "button";
          chip.className = "plain";
          chip.textContent = `${label}: ${value}`;
          chip.ariaLabel = `Remove the filter ${label}: ${value}`;
          return chip;
        })
      );
    }
  };

  // src/plain_verdict/writers/html/scripts/modules/fragment.js
  var ORDERS = ["suite", "slowest", "name"];
  function readView(fragment) {
    if (!fragment.includes("=")) return null;
    const pairs = fragment.split("&").map((part) => cut(part, "="));
    const parts = new Map(pairs);
    const order = parts.get("order") ?? "";
    return {
      show: (parts.get("show") ?? "").split(",").filter(Boolean),
      find: decoded(parts.get("find") ?? ""),
      order: ORDERS.includes(order) ? order : "suite",
      kind: decoded(parts.get("kind") ?? ""),
      only: pairs.filter(([name]) => name === "only").map(([, pair]) => {
        const [key2, value] = cut(pair, ":");
        return [decoded(key2), decoded(value)];
      })
    };
  }
  function cut(text, at) {
    const place = text.indexOf(at);
    return place < 0 ? [text, ""] : [text.slice(0, place), text.slice(place + 1)];
  }
  function decoded(text) {
    try {
      return decodeURIComponent(text);
    } catch {
      return "";
    }
  }
  function writeView({ show: show2, find: find2, order, kind, only }) {
    const parts = [];
    if (show2.length) parts.push(`show=${show2.join(",")}`);
    if (find2.trim()) parts.push(`find=${encodeURIComponent(find2.trim())}`);
    if (kind) parts.push(`kind=${encodeURIComponent(kind)}`);
    for (const pair of only) parts.push(`only=${pair.map(encodeURIComponent).join(":")}`);
    if (order !== "suite") parts.push(`order=${order}`);
    return parts.length ? `#${parts.join("&")}` : "";
  }

  // src/plain_verdict/writers/html/scripts/modules/pictures.js
  var photos = findAll(document, ".photo").map((node) => ({
    node,
    ids: (node.dataset.checks ?? "").split(" ").filter(Boolean)
  }));
  var cameFromPage = false;
  var framed = null;
  var focusBefore = null;
  var largePicture = () => photos.find(({ node }) => `#${node.id}` === location.hash)?.node;
  function showPictures(ids) {
    for (const photo of photos) photo.node.hidden = ids !== null && !photo.ids.some((id) => ids.has(id));
    const more = (
      /** @type {HTMLDetailsElement | null} */
      find(document, ".more-pictures")
    );
    if (more && ids) more.open = true;
  }
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
  function framePicture() {
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
  function keepFocus(event) {
    const inside = framed ? findAll(framed, "a[href]") : [];
    const at = inside.indexOf(
      /** @type {HTMLElement} */
      document.activeElement
    );
    event.preventDefault();
    inside.at((at + (event.shiftKey ? -1 : 1)) % inside.length)?.focus();
  }
  function pictureClick(event, link) {
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
  function pictureKey(event) {
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
  function focusWayBack() {
    const large = largePicture();
    if (large) find(large, ".close")?.focus();
  }

  // src/plain_verdict/writers/html/scripts/modules/take.js
  var RUNS = /^[=+\-@\t\r]/;
  function cell(text) {
    const plain = RUNS.test(text) ? `'${text}` : text;
    return /[",\r\n]/.test(plain) ? `"${plain.replaceAll('"', '""')}"` : plain;
  }
  var csvOf = (rows) => rows.map((row) => `${row.map(cell).join(",")}\r
`).join("");
  var textIn = (node) => (node.textContent ?? "").replace(/\s+/g, " ").trim();
  function giveRows(rows, name) {
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([csvOf(rows)], { type: "text/csv" }));
    link.download = name;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href));
  }
  function startTaking() {
    for (const button3 of findAll(document, "details button.take")) {
      const table = need(
        /** @type {HTMLElement} */
        button3.closest("details"),
        "table"
      );
      button3.hidden = false;
      button3.addEventListener("click", () => {
        const rows = findAll(table, "tr").map((row) => findAll(row, "th, td").map(textIn));
        giveRows(rows, table.dataset.file ?? "table.csv");
      });
    }
  }

  // src/plain_verdict/writers/html/scripts/modules/virtual-list.js
  var CHUNK = 100;
  var ROW_PX = 41;
  var NEAR = "1200px 0px";
  var AT_ONCE = 200;
  var STEPS = /* @__PURE__ */ new Map([
    ["ArrowDown", 1],
    ["ArrowUp", -1],
    ["PageDown", 15],
    ["PageUp", -15],
    ["Home", Number.NEGATIVE_INFINITY],
    ["End", Number.POSITIVE_INFINITY]
  ]);
  var chunkOf = /* @__PURE__ */ new WeakMap();
  var near = new IntersectionObserver(
    (entries) => {
      for (const entry of entries) {
        const found = chunkOf.get(entry.target);
        if (!found) continue;
        const [rows, chunk] = found;
        if (entry.isIntersecting) rows.fill(chunk);
        else rows.empty(chunk, entry.boundingClientRect.height);
      }
    },
    { rootMargin: NEAR }
  );
  var atOnce = AT_ONCE;
  function allowSomeAtOnce() {
    atOnce = AT_ONCE;
  }
  var VirtualList = class {
    /**
     * @param {HTMLElement} box
     * @param {{label: string, withSuites: boolean}} options whether each row says its suite
     */
    constructor(box, { label, withSuites }) {
      this.box = box;
      this.withSuites = withSuites;
      this.numbers = [];
      this.chunks = [];
      this.loads = 0;
      box.setAttribute("role", "list");
      box.ariaLabel = label;
      box.addEventListener("keydown", (event) => this.key(event));
    }
    /** @param {number[]} numbers of the checks to show, in their order */
    show(numbers) {
      for (const chunk of this.chunks) {
        this.empty(chunk);
        near.unobserve(chunk.box);
      }
      this.numbers = numbers;
      this.chunks = [];
      for (let from = 0; from < numbers.length; from += CHUNK) {
        this.chunks.push(this.chunk(from, Math.min(CHUNK, numbers.length - from)));
      }
      this.box.replaceChildren(...this.chunks.map(({ box }) => box));
      for (const chunk of this.chunks) {
        if (atOnce > 0) this.fill(chunk);
        else near.observe(chunk.box);
        atOnce -= chunk.rows;
      }
    }
    /**
     * @param {number} from
     * @param {number} rows
     * @returns {Chunk}
     */
    chunk(from, rows) {
      const box = document.createElement("div");
      box.className = "chunk";
      box.setAttribute("role", "none");
      box.style.height = `${rows * ROW_PX}px`;
      const chunk = { box, from, rows, filled: null, spots: [] };
      chunkOf.set(box, [this, chunk]);
      return chunk;
    }
    /**
     * Fills a chunk at once where all its rows are at hand, else once their blocks are loaded; the promise tells when.
     * @param {Chunk} chunk
     * @returns {Promise<void>}
     */
    fill(chunk) {
      chunk.filled ??= this.filling(chunk);
      return chunk.filled;
    }
    /**
     * @param {Chunk} chunk
     * @returns {Promise<void>}
     */
    filling(chunk) {
      const numbers = this.numbers.slice(chunk.from, chunk.from + chunk.rows);
      if (!missingBlocks(numbers).length) return Promise.resolve(this.put(chunk, numbers));
      const filled = this.load(numbers).then(() => {
        if (chunk.filled === filled && chunk.box.isConnected) this.put(chunk, numbers);
      });
      return filled;
    }
    /** @param {number[]} numbers of checks whose blocks are to be at hand */
    async load(numbers) {
      this.busy(1);
      while (missingBlocks(numbers).length) await Promise.all(missingBlocks(numbers).map(loadBlock));
      this.busy(-1);
    }
    /** @param {number} by */
    busy(by) {
      this.loads += by;
      this.box.ariaBusy = String(this.loads > 0);
    }
    /**
     * @param {Chunk} chunk
     * @param {number[]} numbers
     */
    put(chunk, numbers) {
      const items2 = numbers.map((check, at) => {
        const place = `aria-posinset="${chunk.from + at + 1}" aria-setsize="${this.numbers.length}"`;
        const row = checks.node[check] ? "" : htmlOf(check);
        return `<div class="item" role="listitem" ${place} data-check="${check}">${row}</div>`;
      });
      chunk.box.innerHTML = items2.join("");
      numbers.forEach((check, at) => {
        const item2 = (
          /** @type {HTMLElement} */
          chunk.box.children[at]
        );
        const node = checks.node[check];
        if (node) this.borrow(chunk, item2, node);
        const suite = suites[checks.suite[check]];
        if (this.withSuites && suite.name) {
          const place = document.createElement("small");
          place.className = "place";
          place.textContent = suite.name;
          need(item2, ".name").append(place);
        }
        const row = (
          /** @type {HTMLElement} */
          item2.firstElementChild
        );
        if (!isDetails(row)) row.tabIndex = -1;
      });
      chunk.box.style.height = "";
    }
    /**
     * Takes a row in plain HTML from its place into the list.
     * @param {Chunk} chunk
     * @param {HTMLElement} item
     * @param {HTMLElement} node
     */
    borrow(chunk, item2, node) {
      const spot = document.createComment("");
      node.replaceWith(spot);
      node.hidden = false;
      item2.append(node);
      chunk.spots.push([spot, node]);
    }
    /**
     * Takes a chunk's rows out of the page; if it keeps its height, only where nothing in it is open or has the focus.
     * @param {Chunk} chunk
     * @param {number} height 0: it does not keep it
     */
    empty(chunk, height = 0) {
      if (!chunk.filled) return;
      if (height) {
        if (find(chunk.box, "details.check[open]") || chunk.box.contains(document.activeElement)) return;
        chunk.box.style.height = `${height}px`;
      }
      chunk.filled = null;
      for (const [spot, node] of chunk.spots) {
        find(node, ".place")?.remove();
        spot.replaceWith(node);
      }
      chunk.spots = [];
      chunk.box.replaceChildren();
    }
    /**
     * Brings the row at a place of the list into view, and returns it.
     * @param {number} at
     * @returns {Promise<HTMLElement>}
     */
    async reveal(at) {
      const chunk = this.chunks[Math.floor(at / CHUNK)];
      chunk.box.scrollIntoView({ block: "nearest" });
      await this.fill(chunk);
      return (
        /** @type {HTMLElement} */
        chunk.box.children[at - chunk.from].firstElementChild
      );
    }
    /** @param {number} at */
    async go(at) {
      const row = await this.reveal(Math.max(0, Math.min(at, this.numbers.length - 1)));
      row.scrollIntoView({ block: "nearest" });
      (find(row, "summary") ?? row).focus({ preventScroll: true });
    }
    /** @param {KeyboardEvent} event */
    key(event) {
      const target = (
        /** @type {Element} */
        event.target
      );
      const item2 = target.closest(".item");
      const step = STEPS.get(event.key);
      if (!item2 || step === void 0 || target.closest("pre, input, .inside")) return;
      event.preventDefault();
      this.go(Number(item2.ariaPosInSet) - 1 + step);
    }
  };

  // src/plain_verdict/writers/html/scripts/modules/filters.js
  var SOME = 2e3;
  var LATER_MS = 80;
  var NEW = "new";
  var Filters = class {
    /** @param {HTMLElement} every the list of checks with its tools */
    constructor(every) {
      this.every = every;
      this.tools = need(every, ".tools");
      this.input = /** @type {HTMLInputElement} */
      need(this.tools, "input[type=search]");
      this.order = /** @type {HTMLSelectElement} */
      need(this.tools, "select[name=order]");
      this.kind = /** @type {HTMLSelectElement | null} */
      find(this.tools, "select[name=kind]");
      this.state = need(this.tools, ".state");
      this.buttons = /** @type {HTMLButtonElement[]} */
      findAll(this.tools, "button[value]");
      this.take = need(this.tools, ".take");
      this.facets = new FacetFilters(this.tools, () => this.change());
      this.groups = /** @type {HTMLDetailsElement[]} */
      findAll(every, ".group");
      this.quiet = /** @type {HTMLDetailsElement[]} */
      findAll(every, ".quiet");
      this.quietOpen = new Map(this.quiet.map((fold2) => [fold2, fold2.open]));
      this.flat = need(every, ".flat");
      this.flatList = null;
      this.suiteLists = /* @__PURE__ */ new Map();
      this.shown = null;
      this.current = -1;
      this.timer = 0;
    }
    /** Returns whether the reader can use them. */
    get ready() {
      return !this.tools.hidden;
    }
    pressed() {
      return this.buttons.filter((button3) => button3.ariaPressed === "true").map((button3) => button3.value);
    }
    listen() {
      this.input.addEventListener("input", () => {
        clearTimeout(this.timer);
        if (checks.count > SOME) this.timer = setTimeout(() => this.change(), LATER_MS);
        else this.change();
      });
      this.order.addEventListener("change", () => this.change());
      this.kind?.addEventListener("change", () => this.change());
      for (const button3 of this.buttons) {
        button3.addEventListener("click", () => {
          button3.ariaPressed = String(button3.ariaPressed !== "true");
          this.change();
        });
      }
      for (const suite of suites) {
        const { fold: fold2 } = suite;
        fold2?.addEventListener("toggle", () => {
          if (!this.shown) suite.open = fold2.open;
          if (fold2.open) this.unfold(suite);
        });
      }
      for (const fold2 of this.quiet) {
        fold2.addEventListener("toggle", () => {
          if (!this.shown) this.quietOpen.set(fold2, fold2.open);
        });
      }
      this.take.addEventListener("click", () => giveRows(rowsOf(this.numbers()), "checks.csv"));
      this.tools.hidden = false;
    }
    change() {
      this.apply();
      this.remember();
    }
    apply() {
      allowSomeAtOnce();
      const words = wordsOf(this.input.value);
      const wanted = this.pressed();
      const narrowed = words.length > 0 || wanted.length > 0 || this.facets.only.length > 0 || Boolean(this.kind?.value);
      this.shown = narrowed ? this.matching(words, wanted) : null;
      if (this.order.value === "suite") this.showSuites();
      else this.showFlat();
      const { shown } = this;
      showPictures(shown && new Set(checks.id.filter((_, check) => shown[check])));
      this.state.textContent = shown ? this.inWords(shown.reduce((sum, one) => sum + one, 0)) : "";
    }
    /** @param {number} count */
    inWords(count) {
      const all = inWords(checks.count);
      return count ? `${inWords(count)} of ${all} checks shown` : `No check of ${all} matches. Esc shows all.`;
    }
    /**
     * @param {string[]} words
     * @param {string[]} wanted outcomes, none: all of them; and "new", which narrows them
     */
    matching(words, wanted) {
      const shown = new Uint8Array(checks.count);
      const kind = this.kind?.value ?? "";
      const onlyNew = wanted.includes(NEW);
      const outcomes = wanted.filter((one) => one !== NEW);
      for (let check = 0; check < checks.count; check++) {
        const isWanted = !outcomes.length || outcomes.includes(checks.outcome[check]);
        shown[check] = isWanted && (!onlyNew || checks.fresh.has(check)) && (!kind || checks.ofKind[check] === kind) ? 1 : 0;
      }
      keepOnly(shown, this.facets.facets, this.facets.only);
      if (words.length) {
        const { texts: texts2, suiteTexts: suiteTexts2 } = searchTexts();
        keepMatches(shown, words, texts2, suiteTexts2, checks.suite);
      }
      return shown;
    }
    showSuites() {
      const { shown } = this;
      this.flatList?.show([]);
      this.flat.hidden = true;
      checks.node.forEach((node, check) => {
        if (node) node.hidden = shown !== null && !shown[check];
      });
      for (const group of this.groups) group.hidden = findAll(group, ".check").every((node) => node.hidden);
      for (const suite of suites) this.showSuite(suite);
      for (const fold2 of this.quiet) {
        fold2.hidden = findAll(fold2, ":scope > .suite, :scope > .check, :scope > .group").every((node) => node.hidden);
        fold2.open = shown !== null || this.quietOpen.get(fold2) === true;
      }
    }
    /** @param {Suite} suite */
    showSuite(suite) {
      const { shown } = this;
      const { fold: fold2 } = suite;
      suite.now = shown ? suite.folded.filter((check) => shown[check]) : suite.folded;
      suite.box.hidden = shown !== null && !suite.now.length && suite.nodes.every((node) => node.hidden);
      if (suite.outputs) suite.outputs.hidden = shown !== null;
      if (!fold2) return;
      suite.open ??= fold2.open;
      fold2.hidden = !suite.now.length;
      fold2.open = shown !== null || suite.open;
      if (fold2.open) this.unfold(suite);
      else this.suiteLists.get(suite)?.show([]);
    }
    /**
     * Shows a suite's folded checks, once its fold is open.
     * @param {Suite} suite
     * @returns {VirtualList | null}
     */
    unfold(suite) {
      if (!suite.fold) return null;
      const made = this.suiteLists.get(suite);
      const rows = made ?? new VirtualList(need(suite.fold, ".rows"), { label: suite.name, withSuites: false });
      this.suiteLists.set(suite, rows);
      if (rows.numbers !== suite.now) rows.show(suite.now);
      return rows;
    }
    showFlat() {
      for (const suite of suites) {
        suite.box.hidden = true;
        this.suiteLists.get(suite)?.show([]);
      }
      for (const fold2 of this.quiet) fold2.hidden = true;
      this.flat.hidden = false;
      this.flatList ??= new VirtualList(this.flat, { label: "All checks in this order", withSuites: true });
      const { shown } = this;
      const all = ordered(this.order.value);
      this.flatList.show(shown ? all.filter((check) => shown[check]) : all);
    }
    remember() {
      const view = writeView({
        show: this.pressed(),
        find: this.input.value,
        order: this.order.value,
        kind: this.kind?.value ?? "",
        only: this.facets.only
      });
      history.replaceState(null, "", view || location.pathname + location.search);
    }
    /** Shows what the address means: a check, or a view. */
    async recall() {
      const fragment = location.hash.slice(1);
      const check = fragment.startsWith("c-") ? checks.id.indexOf(fragment) : -1;
      if (check >= 0) {
        this.open(check);
        return;
      }
      const view = readView(fragment);
      if (!view) return;
      if (view.only.length) await this.facets.load();
      this.facets.set(view.only);
      for (const button3 of this.buttons) button3.ariaPressed = String(view.show.includes(button3.value));
      this.input.value = view.find;
      this.order.value = view.order;
      if (this.kind) this.kind.value = view.kind;
      this.apply();
      this.every.parentElement?.scrollIntoView();
    }
    /**
     * Shows a view and puts it into the address; also where it stands there already.
     * @param {string} view
     */
    showView(view) {
      if (location.hash === `#${view}`) this.recall();
      else location.hash = view;
    }
    clear() {
      this.input.value = "";
      this.facets.set([]);
      if (this.kind) this.kind.value = "";
      for (const button3 of this.buttons) button3.ariaPressed = "false";
      this.apply();
    }
    /**
     * Opens a check wherever it is: in the list in its order, in its suite, or folded into it.
     * @param {number} check
     */
    async open(check) {
      if (this.shown && !this.shown[check]) this.clear();
      this.openNode(await this.nodeOf(check) ?? null);
    }
    /**
     * @param {number} check
     * @returns {Promise<HTMLElement> | HTMLElement | null}
     */
    nodeOf(check) {
      if (this.order.value !== "suite" && this.flatList) {
        return this.flatList.reveal(this.flatList.numbers.indexOf(check));
      }
      const node = checks.node[check];
      if (node) return node;
      const suite = suites[checks.suite[check]];
      if (suite.fold) suite.fold.open = true;
      return this.unfold(suite)?.reveal(suite.now.indexOf(check)) ?? null;
    }
    /** @param {HTMLElement | null} node */
    openNode(node) {
      if (!node) return;
      for (let around = node.parentElement; around && around !== this.every; around = around.parentElement) {
        if (isDetails(around)) around.open = true;
      }
      if (isDetails(node)) node.open = true;
      const show2 = () => node.scrollIntoView({ block: "start" });
      show2();
      (find(node, "summary") ?? node).focus({ preventScroll: true });
      if (this.every.matches(".many")) requestAnimationFrame(() => requestAnimationFrame(show2));
    }
    /** Returns the numbers of the checks that are shown, in their order. */
    numbers() {
      if (this.order.value !== "suite" && this.flatList) return this.flatList.numbers;
      const { shown } = this;
      const all = Array.from(checks.outcome, (_, check) => check);
      return shown ? all.filter((check) => shown[check]) : all;
    }
    /**
     * Goes to the next failure that is shown, or to the one before.
     * @param {number} by
     */
    step(by) {
      const failures = this.numbers().filter(isFailure);
      if (!failures.length) return;
      const at = failures.indexOf(this.current);
      const first = by > 0 ? 0 : failures.length - 1;
      const next = at < 0 ? first : (at + by + failures.length) % failures.length;
      this.current = failures[next];
      this.open(this.current);
      this.state.textContent = `Failure ${inWords(next + 1)} of ${inWords(failures.length)}`;
    }
  };
  var filters = list && find(list, ".tools") ? new Filters(list) : null;

  // src/plain_verdict/writers/html/scripts/modules/find-anywhere.js
  var SHOWN = 6;
  var ITEMS = ".remarks li, .short li, .conds li, .cause, tbody tr, .slowest li, .tracks li, .photo, .coverage, .chart, .rule-names, .read div, .notes li, .failures li, .words";
  var NAMES = "h3, th, figcaption b, .name, .track, dt";
  var dialog = (
    /** @type {HTMLDialogElement | null} */
    find(document, "dialog.search")
  );
  var index = null;
  var textIn2 = (node) => (node.textContent ?? "").replace(/\s+/g, " ").trim();
  function items() {
    if (index) return index;
    index = /* @__PURE__ */ new Map();
    for (const heading of findAll(document, "main section > h2")) {
      const section = (
        /** @type {HTMLElement} */
        heading.parentElement
      );
      if (find(section, ".every")) continue;
      const found = findAll(section, ITEMS).map((node) => {
        const text = textIn2(node);
        return { text: text.toLowerCase(), name: textIn2(find(node, NAMES) ?? node) || text, node };
      });
      index.set(textIn2(find(heading, "b, .unseen") ?? heading), found);
    }
    return index;
  }
  function goTo(node) {
    for (let around = (
      /** @type {HTMLElement | null} */
      node
    ); around; around = around.parentElement) {
      if (isDetails(around)) around.open = true;
    }
    node.scrollIntoView({ block: "center" });
    const target = find(node, "a[href], summary") ?? node;
    if (target === node) node.tabIndex = -1;
    target.focus({ preventScroll: true });
  }
  function search(query) {
    const words = wordsOf(query);
    if (!words.length) return [];
    const found = [];
    for (const [title, all] of items()) {
      const matching = all.filter(({ text }) => words.every((word) => text.includes(word)));
      if (!matching.length) continue;
      const names = matching.slice(0, SHOWN).map(({ name }) => name);
      found.push({ title, names, all: matching.length, go: (at) => goTo(matching[at].node), more: null });
    }
    const inChecks = filters?.ready ? searchChecks(words, query) : null;
    if (inChecks) found.splice(found.findIndex(({ title }) => title === "Causes") + 1, 0, inChecks);
    return found;
  }
  function searchChecks(words, query) {
    const shown = new Uint8Array(checks.count).fill(1);
    const { texts: texts2, suiteTexts: suiteTexts2 } = searchTexts();
    keepMatches(shown, words, texts2, suiteTexts2, checks.suite);
    const first = [];
    let all = 0;
    for (let check = 0; check < shown.length; check++) {
      if (!shown[check]) continue;
      all++;
      if (first.length < SHOWN) first.push(check);
    }
    if (!all) return null;
    return {
      title: "All checks",
      names: first.map(
        (check) => `${checks.outcome[check]}: ${nameOfCheck(check)} (${suites[checks.suite[check]].name})`
      ),
      all,
      go: (at) => filters?.open(first[at]),
      more: () => filters?.showView(`find=${encodeURIComponent(query.trim())}`)
    };
  }
  function show(box) {
    const query = (
      /** @type {HTMLInputElement} */
      need(box, "input").value
    );
    const found = search(query);
    const total = found.reduce((sum, { all }) => sum + all, 0);
    need(box, "p").textContent = query.trim() ? total ? `${inWords(total)} found` : "Nothing found" : "";
    need(box, ".found").replaceChildren(
      ...found.flatMap(({ title, names, all, go, more }) => {
        const heading = document.createElement("h3");
        heading.textContent = title;
        const count = document.createElement("span");
        count.textContent = inWords(all);
        heading.append(" ", count);
        const list2 = document.createElement("ul");
        const buttons = names.map((name, at) => button(box, name, () => go(at)));
        if (more && all > names.length) buttons.push(button(box, `Show all ${inWords(all)} in All checks`, more));
        list2.append(...buttons);
        if (!more && all > names.length) {
          const rest = document.createElement("li");
          rest.className = "soft";
          rest.textContent = `and ${inWords(all - names.length)} more`;
          list2.append(rest);
        }
        return [heading, list2];
      })
    );
  }
  function button(box, words, go) {
    const item2 = document.createElement("li");
    const made = document.createElement("button");
    made.type = "button";
    made.textContent = words;
    made.addEventListener("click", () => {
      box.close();
      go();
    });
    item2.append(made);
    return item2;
  }
  function openSearch() {
    if (!dialog || dialog.open) return;
    dialog.showModal();
    const input = (
      /** @type {HTMLInputElement} */
      need(dialog, "input")
    );
    input.focus();
    input.select();
    show(dialog);
  }
  function key(box, event) {
    const input = need(box, "input");
    const stops = [input, ...findAll(box, ".found button")];
    const at = stops.indexOf(
      /** @type {HTMLElement} */
      document.activeElement
    );
    if (event.key === "Enter" && document.activeElement === input) {
      event.preventDefault();
      stops[1]?.click();
    } else if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      stops[Math.max(0, Math.min(stops.length - 1, at + (event.key === "ArrowDown" ? 1 : -1)))].focus();
    }
  }
  function startSearch() {
    if (!dialog || typeof dialog.showModal !== "function") return;
    let timer = 0;
    need(dialog, "input").addEventListener("input", () => {
      clearTimeout(timer);
      timer = setTimeout(() => show(dialog), checks.count > 2e3 ? 120 : 0);
    });
    dialog.addEventListener("keydown", (event) => key(dialog, event));
    dialog.addEventListener("click", (event) => {
      if (event.target === dialog) dialog.close();
    });
  }

  // src/plain_verdict/writers/html/scripts/modules/navigation.js
  var nav = find(document, "nav.contents");
  var menu = nav && find(nav, "details");
  var NARROW = matchMedia("(max-width: 980px)");
  function fold() {
    if (menu && isDetails(menu)) menu.open = !NARROW.matches;
  }
  function mark() {
    const links = nav ? findAll(nav, "a") : [];
    const line = innerHeight / 4;
    let current = links[0];
    for (const link of links) {
      const target = document.getElementById(link.getAttribute("href")?.slice(1) ?? "");
      if (target && target.getBoundingClientRect().top <= line) current = link;
    }
    const ended = scrollY > 0 && innerHeight + scrollY >= document.documentElement.scrollHeight - 2;
    if (ended) current = links[links.length - 1];
    for (const link of links) {
      if (link === current) link.setAttribute("aria-current", "location");
      else link.removeAttribute("aria-current");
    }
  }
  function startNavigation() {
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

  // src/plain_verdict/writers/html/scripts/modules/reload.js
  var STORED = "plain-verdict-view";
  var FIELDS = ["INPUT", "SELECT", "TEXTAREA"];
  function startReloading(seconds) {
    if (!seconds) return;
    recallPlace();
    setInterval(() => {
      const busy = FIELDS.includes(document.activeElement?.tagName ?? "") || document.hidden;
      if (busy || getSelection()?.toString()) return;
      keepPlace();
      location.reload();
    }, Number(seconds) * 1e3);
  }
  function keepPlace() {
    const open = findAll(document, "details[open][id]").map((node) => node.id);
    try {
      sessionStorage.setItem(STORED, JSON.stringify({ y: scrollY, open }));
    } catch {
    }
  }
  function recallPlace() {
    try {
      const kept = JSON.parse(sessionStorage.getItem(STORED) ?? "null");
      if (!kept) return;
      for (const id of kept.open) {
        const node = document.getElementById(id);
        if (node && isDetails(node)) node.open = true;
      }
      requestAnimationFrame(() => scrollTo(0, kept.y));
    } catch {
    }
  }

  // src/plain_verdict/writers/html/scripts/modules/compared.js
  var HALF = 50;
  var WAYS = ["Side by side", "Over each other"];
  function overlay(under, above) {
    const box = document.createElement("div");
    const stack = document.createElement("div");
    stack.className = "over";
    const [expected, actual] = [under.cloneNode(true), above.cloneNode(true)];
    const edge = document.createElement("span");
    edge.className = "edge";
    stack.append(expected, actual, edge);
    const slider = document.createElement("input");
    slider.type = "range";
    slider.ariaLabel = "Left of the edge: expected; right of it: actual";
    slider.value = String(HALF);
    const move = () => {
      actual.style.clipPath = `inset(0 0 0 ${slider.value}%)`;
      edge.style.left = `${slider.value}%`;
    };
    slider.addEventListener("input", move);
    move();
    const words = document.createElement("p");
    words.className = "soft";
    words.textContent = "Left of the edge: expected. Right of it: actual.";
    box.append(slider, stack, words);
    return box;
  }
  function addWays(compared) {
    const sides = need(compared, ".trio");
    const [expected, actual] = ["expected", "actual"].map((role) => find(sides, `[data-role="${role}"] a > *`));
    if (!expected || !actual) return;
    let over = null;
    const ways = document.createElement("p");
    ways.className = "ways";
    const buttons = WAYS.map((words, at) => {
      const button3 = document.createElement("button");
      button3.type = "button";
      button3.className = "plain";
      button3.textContent = words;
      button3.ariaPressed = String(at === 0);
      button3.addEventListener("click", () => {
        for (const other of buttons) other.ariaPressed = String(other === button3);
        if (at === 1 && !over) {
          over = overlay(expected, actual);
          compared.append(over);
        }
        sides.hidden = at === 1;
        if (over) over.hidden = at !== 1;
      });
      return button3;
    });
    ways.append(...buttons);
    compared.prepend(ways);
  }
  var clock = (seconds) => `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;
  function addSeeking(check) {
    const video = (
      /** @type {HTMLVideoElement | null} */
      find(check, "video[data-began]")
    );
    if (!video) return;
    const began = Number(video.dataset.began);
    for (const took of findAll(check, ".steps .took[data-at]")) {
      const second = Number(took.dataset.at) - began;
      if (second < 0) continue;
      const button3 = document.createElement("button");
      button3.type = "button";
      button3.className = "seek";
      button3.textContent = clock(second);
      button3.title = "Show this moment in the video";
      button3.addEventListener("click", (event) => {
        event.preventDefault();
        video.currentTime = second;
        video.scrollIntoView({ block: "nearest" });
      });
      took.prepend(button3);
    }
  }
  function addToOpened(check) {
    if (check.dataset.looked) return;
    check.dataset.looked = "yes";
    findAll(check, ".compared").forEach(addWays);
    addSeeking(check);
  }

  // src/plain_verdict/writers/html/scripts/modules/ticket.js
  var TOLD_MS = 2e3;
  var MOST_LISTED = 10;
  var textIn3 = (node) => (node?.textContent ?? "").replace(/\s+/g, " ").trim();
  var addressOf = (fragment) => `${location.href.split("#")[0]}#${fragment}`;
  function fenced(text, language = "") {
    const longest = Math.max(2, ...(text.match(/`+/g) ?? []).map((run) => run.length));
    const fence = "`".repeat(longest + 1);
    return `${fence}${language}
${text.replace(/\n+$/, "")}
${fence}`;
  }
  var plainLine = (text) => text.replace(/\s+/g, " ").trim().replace(/[\\`*_[\]<>|]/g, "\\$&");
  function item(label, text) {
    if (!text.trim()) return [];
    return text.trim().includes("\n") ? [`- ${label}:

${fenced(text.trim())}
`] : [`- ${label}: ${plainLine(text)}`];
  }
  var runFacts = () => findAll(document, ".identity li").map(textIn3).join(", ");
  function expectedAndActual(inside) {
    const [expected, actual] = findAll(inside, ":scope > .two bdi").map((node) => node.textContent ?? "");
    if (expected !== void 0) return [...item("Expected", expected), ...item("Actual", actual ?? "")];
    return findAll(inside, ":scope > .type").flatMap((node) => {
      const label = textIn3(find(node, ".soft"));
      const value = find(node, "bdi");
      return ["Expected", "Actual"].includes(label) && value ? item(label, value.textContent ?? "") : [];
    });
  }
  function expectations(inside) {
    const rows = findAll(inside, ".expectations li").filter((row) => find(row, ".outcome.failed, .outcome.errored"));
    return rows.flatMap((row) => {
      const [expected, actual] = findAll(row, ".two bdi").map((node) => node.textContent ?? "");
      const subject = textIn3(find(row, ".what > bdi"));
      const wanted = expected ?? textIn3(find(row, ".what .mono"));
      const came = actual ?? textIn3(find(row, ".actual"));
      return item(subject, [wanted && `expected ${wanted}`, came && `came ${came}`].filter(Boolean).join(", "));
    });
  }
  function calls(inside) {
    return findAll(inside, ".exchange.wrong").flatMap((exchange) => {
      const [call, answer] = [textIn3(find(exchange, ".call")), textIn3(find(exchange, ".answer"))];
      const curl = findAll(exchange, ":scope > .fold pre").at(-1)?.textContent ?? "";
      return ["", `Request: ${plainLine(call)}, answer: ${plainLine(answer)}`, "", fenced(curl, "sh")];
    });
  }
  function fact(inside, label) {
    const row = findAll(inside, ".facts > div").find((one) => textIn3(find(one, "dt")) === label);
    return textIn3(row ? find(row, "dd") : null);
  }
  function ticketOfCheck(check) {
    const inside = (
      /** @type {HTMLElement} */
      find(check, ".inside") ?? check
    );
    const name = findAll(check, "summary .name > bdi, summary .name > .param").map(textIn3).join(" ");
    const heading = check.closest(".suite") && find(
      /** @type {HTMLElement} */
      check.closest(".suite"),
      "h3"
    );
    const suite = heading ? findAll(heading, ":scope > bdi").map(textIn3).join(" › ") : "";
    const variant = [textIn3(find(check, "summary .name > small:not(.first-line, .place)"))].filter(Boolean);
    const outcome = textIn3(find(check, "summary .outcome"));
    const took = textIn3(find(check, "summary .took"));
    const steps = findAll(inside, ".steps .row.failed .what > bdi, .steps .row.errored .what > bdi").map(textIn3);
    const message = textIn3(find(inside, ".problem > bdi")) || textIn3(find(inside, ".reason"));
    const more = find(inside, ":scope > .more")?.textContent ?? "";
    return [
      `### ${plainLine(name)}`,
      "",
      plainLine([suite, `${outcome}${took ? ` after ${took}` : ""}`, ...variant].filter(Boolean).join(" · ")),
      "",
      ...message ? [`**${plainLine(message)}**`, ""] : [],
      ...more.trim() ? [fenced(more), ""] : [],
      ...expectedAndActual(inside),
      ...expectations(inside),
      ...item("Failing step", [...new Set(steps)].join(" › ")),
      ...item("Cause", fact(inside, "Cause")),
      ...item("Written in", fact(inside, "Written in")),
      ...item("Run", runFacts()),
      ...item("History", textIn3(find(inside, ".trace span"))),
      `- Report: <${addressOf(check.id)}>`,
      ...calls(inside),
      ""
    ].join("\n");
  }
  function ticketOfCause(cause) {
    const links = findAll(cause, "li");
    const single = find(cause, "h3 a");
    const listed = links.slice(0, MOST_LISTED).map((row) => {
      const link = (
        /** @type {HTMLAnchorElement | null} */
        find(row, "a")
      );
      const suite = textIn3(find(row, "small"));
      const name = plainLine(`${textIn3(link ?? row)}${link && suite ? ` (${suite})` : ""}`);
      return `- ${name}${link ? `: <${link.href}>` : ""}`;
    });
    const number = textIn3(find(cause, ".count"));
    const view = find(cause, ".show-these")?.dataset.view;
    const address = (
      /** @type {HTMLAnchorElement | null} */
      single?.href ?? addressOf(view ?? "why")
    );
    const traits = findAll(cause, ".traits > span").map(textIn3);
    return [
      `### ${plainLine(textIn3(find(cause, "h3 bdi") ?? find(cause, "h3")))}`,
      "",
      plainLine([number === "1" ? "1 check" : `${number} checks`, ...traits].join(" · ")),
      "",
      ...find(cause, ".msg") ? [fenced(textIn3(find(cause, ".msg"))), ""] : [],
      ...findAll(cause, ".two > div").flatMap((side) => {
        const label = textIn3(find(side, "span"));
        return item(label.charAt(0).toUpperCase() + label.slice(1), find(side, "bdi")?.textContent ?? "");
      }),
      ...item("What to do", textIn3(find(cause, ".do"))),
      ...item("Run", runFacts()),
      `- Report: <${address}>`,
      ...listed.length ? ["", ...listed] : [],
      ...links.length > MOST_LISTED ? [`- and ${links.length - MOST_LISTED} more`] : [],
      ""
    ].join("\n");
  }
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
  function button2(words, text) {
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
  function addTo(check) {
    addToOpened(check);
    const row = findAll(check, ":scope > .inside > .facts > div").at(-1);
    if (!row || find(row, ".copies")) return;
    const place = find(row, "dd") ?? row;
    place.append(
      " ",
      button2("Copy link", () => addressOf(check.id))
    );
    if (check.matches(".failed, .errored"))
      place.append(
        " ",
        button2("Copy for a ticket", () => ticketOfCheck(check))
      );
  }
  function startTickets() {
    for (const cause of findAll(document, ".cause")) {
      find(cause, ".traits")?.append(button2("Copy for a ticket", () => ticketOfCause(cause)));
    }
    for (const check of findAll(document, "details.check[open]")) addTo(check);
    document.addEventListener(
      "toggle",
      (event) => {
        const node = event.target;
        if (node instanceof HTMLDetailsElement && node.open && node.matches(".check")) addTo(node);
      },
      true
    );
  }

  // src/plain_verdict/writers/html/scripts/modules/main.js
  var STORED2 = "plain-verdict-keys";
  var keysList = (
    /** @type {HTMLDialogElement | null} */
    find(document, "dialog.keys")
  );
  var keysSwitch = (
    /** @type {HTMLInputElement | null} */
    keysList && find(keysList, "input")
  );
  var FIELDS2 = ["INPUT", "SELECT", "TEXTAREA"];
  function recallKeys() {
    if (!keysSwitch) return;
    try {
      keysSwitch.checked = localStorage.getItem(STORED2) !== "off";
    } catch {
    }
    keysSwitch.addEventListener("change", () => {
      try {
        localStorage.setItem(STORED2, keysSwitch.checked ? "on" : "off");
      } catch {
      }
    });
  }
  function recall() {
    focusWayBack();
    if (filters?.ready) filters.recall();
  }
  var KEYS = {
    "/": openSearch,
    "?": () => keysList?.showModal(),
    n: () => filters?.ready && filters.step(1),
    p: () => filters?.ready && filters.step(-1),
    o: () => setAll(true),
    c: () => setAll(false)
  };
  function pageKey(event) {
    if (document.querySelector("dialog[open]")) return;
    if (event.key === "Escape" && filters?.ready) {
      const { input } = filters;
      if (document.activeElement === input && !input.value) input.blur();
      filters.clear();
      filters.remember();
      return;
    }
    const typing = event.target instanceof Element && FIELDS2.includes(event.target.tagName);
    if (typing || !keysSwitch?.checked || !Object.hasOwn(KEYS, event.key)) return;
    event.preventDefault();
    KEYS[event.key]();
  }
  var orderBefore = "";
  function printInSuites(printing) {
    if (!filters?.ready) return;
    const { order } = filters;
    if (printing ? order.value === "suite" : !orderBefore) return;
    [order.value, orderBefore] = printing ? ["suite", order.value] : [orderBefore, ""];
    filters.apply();
  }
  function openFailures() {
    const folds = "details.group.failed, .inside.failed .fold, .inside.errored .fold";
    for (const node of findAll(document, `details.check.failed, details.check.errored, ${folds}`)) {
      if (isDetails(node)) node.open = true;
    }
  }
  function noteOnFolded(text = "") {
    for (const note of list ? findAll(list, ".folded-note") : []) {
      if (text) note.textContent = text;
      else note.remove();
    }
  }
  function setAll(open) {
    for (const node of list ? findAll(list, "details.check, details.group, details.quiet") : []) {
      if (isDetails(node) && (!open || node.checkVisibility?.() !== false)) node.open = open;
    }
  }
  async function begin() {
    if (!filters) return;
    if (!isFolded) readPlain();
    else if (typeof DecompressionStream === "undefined") {
      noteOnFolded(
        "Folded checks can’t be opened here: this browser has no DecompressionStream. A newer one shows them; so does the layout “folder”."
      );
      return;
    } else {
      await readFolded();
      noteOnFolded();
      filters.showSuites();
      if ("requestIdleCallback" in window) requestIdleCallback(searchTexts);
      else setTimeout(searchTexts);
    }
    filters.listen();
    if ("requestIdleCallback" in window) requestIdleCallback(() => filters?.facets.load());
    else setTimeout(() => filters?.facets.load());
  }
  function startKeys() {
    recallKeys();
    for (const node of findAll(document, ".at-hand")) node.hidden = false;
  }
  addEventListener("hashchange", () => {
    recall();
    framePicture();
  });
  document.addEventListener("click", (event) => {
    const target = (
      /** @type {Element} */
      event.target
    );
    const link = (
      /** @type {HTMLAnchorElement | null} */
      target.closest("a[href^='#']")
    );
    if (pictureClick(event, link)) return;
    if (link?.dataset.view && filters?.ready) {
      event.preventDefault();
      filters.showView(link.dataset.view);
      return;
    }
    if (link && link.hash === location.hash) recall();
  });
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (!pictureKey(event)) pageKey(event);
  });
  addEventListener("beforeprint", () => {
    printInSuites(true);
    openFailures();
  });
  addEventListener("afterprint", () => printInSuites(false));
  framePicture();
  startCharts();
  startTaking();
  startNavigation();
  startSearch();
  startKeys();
  startTickets();
  document.addEventListener("click", (event) => {
    if (!(event.target instanceof Element)) return;
    if (event.target.closest(".open-all")) setAll(true);
    else if (event.target.closest(".close-all")) setAll(false);
    else if (event.target.closest(".search-open")) openSearch();
    else if (event.target.closest(".keys-open")) keysList?.showModal();
  });
  if (keysList) {
    keysList.addEventListener("click", (event) => {
      if (event.target === keysList) keysList.close();
    });
  }
  var begun = begin();
  var reloading = () => startReloading(document.body.dataset.reload);
  if (!isFolded) {
    recall();
    reloading();
  } else {
    begun.then(recall).finally(() => {
      reloading();
      document.documentElement.dataset.ready = "yes";
    });
  }
})();
