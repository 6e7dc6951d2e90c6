// Search, outcomes and order: what of the checks is shown, and how one is found and opened.
import { byOwner, checks, isFailure, list, ordered, rowsOf, searchTexts, suites } from "./checks.js";
import { find, findAll, inWords, isDetails, need } from "./dom.js";
import { FacetFilters, keepOnly } from "./facets.js";
import { readView, writeView } from "./fragment.js";
import { showPictures } from "./pictures.js";
import { keepMatches, wordsOf } from "./search.js";
import { giveRows } from "./take.js";
import { allowSomeAtOnce, VirtualList } from "./virtual-list.js";

/** @typedef {import("./checks.js").Suite} Suite */

const SOME = 2000;
const LATER_MS = 80;
const NEW = "new";
const OWNER = "owner";

/** What the reader chooses by. Only made where the page has a list of checks. */
export class Filters {
  /** @param {HTMLElement} every the list of checks with its tools */
  constructor(every) {
    this.every = every;
    this.tools = need(every, ".tools");
    this.input = /** @type {HTMLInputElement} */ (need(this.tools, "input[type=search]"));
    this.order = /** @type {HTMLSelectElement} */ (need(this.tools, "select[name=order]"));
    this.kind = /** @type {HTMLSelectElement | null} */ (find(this.tools, "select[name=kind]"));
    this.state = need(this.tools, ".state");
    this.buttons = /** @type {HTMLButtonElement[]} */ (findAll(this.tools, "button[value]"));
    this.take = need(this.tools, ".take");
    this.facets = new FacetFilters(
      this.tools,
      () => this.change(),
      () => checks.count,
    );
    this.groups = /** @type {HTMLDetailsElement[]} */ (findAll(every, ".group"));
    this.quiet = /** @type {HTMLDetailsElement[]} */ (findAll(every, ".quiet"));
    /** @type {Map<HTMLDetailsElement, boolean>} */
    this.quietOpen = new Map(this.quiet.map((fold) => [fold, fold.open])); // as the reader left them
    this.flat = need(every, ".flat");
    /** @type {VirtualList | null} */
    this.flatList = null;
    /** @type {Map<Suite, VirtualList>} */
    this.suiteLists = new Map();
    /** @type {Uint8Array | null} */
    this.shown = null; // whether each check is shown, by number; null: all are
    this.current = -1;
    this.timer = 0;
  }

  /** Returns whether the reader can use them. */
  get ready() {
    return !this.tools.hidden;
  }

  pressed() {
    return this.buttons.filter((button) => button.ariaPressed === "true").map((button) => button.value);
  }

  listen() {
    this.input.addEventListener("input", () => {
      clearTimeout(this.timer);
      if (checks.count > SOME) this.timer = setTimeout(() => this.change(), LATER_MS);
      else this.change();
    });
    this.order.addEventListener("change", () => this.change());
    this.kind?.addEventListener("change", () => this.change());
    for (const button of this.buttons) {
      button.addEventListener("click", () => {
        button.ariaPressed = String(button.ariaPressed !== "true");
        this.change();
      });
    }
    for (const suite of suites) {
      const { fold } = suite;
      fold?.addEventListener("toggle", () => {
        if (!this.shown) suite.open = fold.open;
        if (fold.open) this.unfold(suite);
      });
    }
    for (const fold of this.quiet) {
      fold.addEventListener("toggle", () => {
        if (!this.shown) this.quietOpen.set(fold, fold.open);
      });
    }
    this.take.addEventListener("click", () => giveRows(rowsOf(this.numbers()), "checks.csv"));
    this.tools.hidden = false;
  }

  /** Loads what narrows the list, and offers the order by owner where checks have some. */
  async loadFacets() {
    await this.facets.load();
    if (this.facets.owners.size && !find(this.order, `[value=${OWNER}]`)) {
      this.order.append(new Option("by owner", OWNER));
    }
  }

  change() {
    this.apply();
    this.remember();
  }

  apply() {
    allowSomeAtOnce();
    const words = wordsOf(this.input.value);
    const wanted = this.pressed();
    const narrowed =
      words.length > 0 || wanted.length > 0 || this.facets.only.length > 0 || Boolean(this.kind?.value);
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
      shown[check] =
        isWanted && (!onlyNew || checks.fresh.has(check)) && (!kind || checks.ofKind[check] === kind) ? 1 : 0;
    }
    keepOnly(shown, this.facets.facets, this.facets.only);
    if (words.length) {
      const { texts, suiteTexts } = searchTexts();
      keepMatches(shown, words, texts, suiteTexts, checks.suite);
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
    for (const fold of this.quiet) {
      fold.hidden = findAll(fold, ":scope > .suite, :scope > .check, :scope > .group").every((node) => node.hidden);
      fold.open = shown !== null || this.quietOpen.get(fold) === true;
    }
  }

  /** @param {Suite} suite */
  showSuite(suite) {
    const { shown } = this;
    const { fold } = suite;
    suite.now = shown ? suite.folded.filter((check) => shown[check]) : suite.folded;
    suite.box.hidden = shown !== null && !suite.now.length && suite.nodes.every((node) => node.hidden);
    if (suite.outputs) suite.outputs.hidden = shown !== null;
    if (!fold) return;
    suite.open ??= fold.open;
    fold.hidden = !suite.now.length;
    fold.open = shown !== null || suite.open;
    if (fold.open) this.unfold(suite);
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
    const rows = made ?? new VirtualList(need(suite.fold, ".rows"), { label: suite.name });
    this.suiteLists.set(suite, rows);
    if (rows.numbers !== suite.now) rows.show(suite.now);
    return rows;
  }

  showFlat() {
    for (const suite of suites) {
      suite.box.hidden = true;
      this.suiteLists.get(suite)?.show([]);
    }
    for (const fold of this.quiet) fold.hidden = true;
    this.flat.hidden = false;
    this.flatList ??= new VirtualList(this.flat, {
      label: "All checks in this order",
      beside: (check) => this.beside(check),
    });
    const { shown } = this;
    const all = this.order.value === OWNER ? byOwner(this.facets.owners) : ordered(this.order.value);
    this.flatList.show(shown ? all.filter((check) => shown[check]) : all);
  }

  /** @param {number} check */
  beside(check) {
    const owner = this.order.value === OWNER ? (this.facets.owners.get(check) ?? "no owner") : "";
    return [owner, suites[checks.suite[check]].name].filter(Boolean).join(" · ");
  }

  remember() {
    const view = writeView({
      show: this.pressed(),
      find: this.input.value,
      order: this.order.value,
      kind: this.kind?.value ?? "",
      only: this.facets.only,
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
    if (view.only.length || view.order === OWNER) await this.loadFacets();
    this.facets.set(view.only);
    for (const button of this.buttons) button.ariaPressed = String(view.show.includes(button.value));
    this.input.value = view.find;
    this.order.value = view.order;
    if (!this.order.value) this.order.value = "suite"; // an order that this page does not have
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
    for (const button of this.buttons) button.ariaPressed = "false";
    this.apply();
  }

  /**
   * Opens a check wherever it is: in the list in its order, in its suite, or folded into it.
   * @param {number} check
   */
  async open(check) {
    if (this.shown && !this.shown[check]) this.clear();
    this.openNode((await this.nodeOf(check)) ?? null);
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
    const show = () => node.scrollIntoView({ block: "start" });
    show();
    (find(node, "summary") ?? node).focus({ preventScroll: true });
    // What comes near is laid out only now, and may move the check away again.
    if (this.every.matches(".many")) requestAnimationFrame(() => requestAnimationFrame(show));
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
}

export const filters = list && find(list, ".tools") ? new Filters(list) : null;
