// By what the list of checks can be narrowed besides words and outcomes: cause, owner, tag, file … Several at once.
import { find, inWords, need, textOf } from "./dom.js";
import { inflated } from "./packed.js";

/**
 * As Python packed it; see facets.py.
 * @typedef {[key: string, label: string, values: [string, string][]]} Facet
 */

const MOST_OPTIONS = 200; // of one facet: a longer list is searched for by its words

const OWNER = "owner";

/** @type {Promise<Facet[]> | null} */
let loading = null;

/** Returns the facets of the page, unpacked when they are first needed. */
export function loadFacets() {
  const packed = textOf("facets");
  loading ??= packed ? inflated(packed).then((text) => JSON.parse(text)) : Promise.resolve([]);
  return loading;
}

/**
 * Returns the numbers that a text of ranges means: "0-2,9".
 * @param {string} ranges
 */
export function numbersOf(ranges) {
  return ranges.split(",").flatMap((range) => {
    const [from, to = from] = range.split("-").map(Number);
    return Array.from({ length: to - from + 1 }, (_, at) => from + at);
  });
}

/**
 * Takes the mark from the checks that lack a chosen value; of several values of one facet, one is enough.
 * @param {Uint8Array} shown 1 for each check that is shown, else 0
 * @param {Facet[]} facets
 * @param {[string, string][]} only pairs of a facet's key and a value
 */
export function keepOnly(shown, facets, only) {
  for (const key of new Set(only.map(([key]) => key))) {
    const kept = new Uint8Array(shown.length);
    const values = facets.find(([name]) => name === key)?.[2] ?? [];
    for (const [value, ranges] of values) {
      if (!only.some((pair) => pair[0] === key && pair[1] === value)) continue;
      for (const check of numbersOf(ranges)) kept[check] = 1;
    }
    for (let check = 0; check < shown.length; check++) shown[check] &= kept[check];
  }
}

/**
 * Returns the owner of each check that has one, in the order of owners' names; of several, the first.
 * @param {Facet[]} facets
 * @returns {Map<number, string>}
 */
export function ownersOf(facets) {
  const values = facets.find(([key]) => key === OWNER)?.[2] ?? [];
  /** @type {Map<number, string>} */
  const owners = new Map();
  for (const [owner, ranges] of [...values].sort(([one], [other]) => one.localeCompare(other))) {
    for (const check of numbersOf(ranges)) if (!owners.has(check)) owners.set(check, owner);
  }
  return owners;
}

/** The control that adds a filter, and a chip for each that is on. */
export class FacetFilters {
  /**
   * @param {HTMLElement} tools
   * @param {() => void} changed
   * @param {() => number} count how many checks there are
   */
  constructor(tools, changed, count) {
    this.label = need(tools, ".add-filter");
    this.select = /** @type {HTMLSelectElement} */ (need(tools, "select[name=only]"));
    this.chips = need(tools, ".chips");
    this.changed = changed;
    this.count = count;
    /** @type {Facet[]} */
    this.facets = [];
    /** @type {Map<number, string>} */
    this.owners = new Map();
    /** @type {[string, string][]} */
    this.only = [];
    this.select.addEventListener("change", () => {
      const [key, at] = this.select.value.split(" ");
      const value = this.facets.find(([name]) => name === key)?.[2][Number(at)];
      this.select.value = "";
      if (value) this.set([...this.only, [key, value[0]]]);
      this.changed();
    });
    this.chips.addEventListener("click", (event) => {
      const chip = /** @type {Element} */ (event.target).closest("button");
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
    for (const [key, label, values] of this.facets) {
      // One value that all checks have narrows nothing.
      if (values.length === 1 && numbersOf(values[0][1]).length === this.count()) continue;
      const group = document.createElement("optgroup");
      group.label = label;
      values.slice(0, MOST_OPTIONS).forEach(([value, ranges], at) => {
        group.append(new Option(`${value} (${inWords(numbersOf(ranges).length)})`, `${key} ${at}`));
      });
      this.select.append(group);
    }
    this.owners = ownersOf(this.facets);
    this.label.hidden = !find(this.select, "optgroup");
    this.show();
  }

  /** @param {[string, string][]} only */
  set(only) {
    const seen = new Set();
    this.only = only.filter((pair) => !seen.has(pair.join("\n")) && seen.add(pair.join("\n")));
    this.show();
  }

  show() {
    this.chips.hidden = !this.only.length;
    this.chips.replaceChildren(
      ...this.only.map(([key, value]) => {
        const label = this.facets.find(([name]) => name === key)?.[1] ?? key;
        const chip = document.createElement("button");
        chip.type = "button";
        chip.className = "plain";
        chip.textContent = `${label}: ${value}`;
        chip.ariaLabel = `Remove the filter ${label}: ${value}`;
        return chip;
      }),
    );
  }
}
