// Search and order over arrays of texts and numbers: a large run has 100,000 checks.

/** @param {string} text */
export const wordsOf = (text) => text.toLowerCase().split(/\s+/).filter(Boolean);

/**
 * Takes the mark from the checks that lack a word, in their own texts and in their suite's name.
 * @param {Uint8Array} shown 1 for each check that is shown, else 0
 * @param {string[]} words in lower case
 * @param {ArrayLike<string>} texts of the checks, in lower case
 * @param {string[]} suiteTexts of the suites, in lower case
 * @param {ArrayLike<number>} suiteOf each check's suite
 */
export function keepMatches(shown, words, texts, suiteTexts, suiteOf) {
  for (const word of words) {
    const suiteHas = suiteTexts.map((text) => text.includes(word));
    for (let check = 0; check < shown.length; check++) {
      if (shown[check] && !suiteHas[suiteOf[check]] && !texts[check].includes(word)) shown[check] = 0;
    }
  }
}

/**
 * Returns the numbers of all checks, the slowest first.
 * @param {ArrayLike<number>} seconds
 */
export function slowestFirst(seconds) {
  const all = Array.from(seconds, (_, check) => check);
  return all.sort((one, other) => seconds[other] - seconds[one]);
}

const ZEROS = "0".repeat(9);

/** @param {string} digits */
const padded = (digits) => (digits.length < ZEROS.length ? ZEROS.slice(digits.length) + digits : digits);

/**
 * Returns the numbers of all checks by name, "deck 2" before "deck 10".
 * @param {ArrayLike<string>} names
 */
export function byName(names) {
  // Numbers are padded, so that plain comparison orders them, and each name is compared once however often it is
  // there: much faster than a collator.
  /** @type {Map<string, number[]>} */
  const numbers = new Map();
  for (let check = 0; check < names.length; check++) {
    const key = names[check].replace(/\d+/g, padded);
    const same = numbers.get(key);
    if (same) same.push(check);
    else numbers.set(key, [check]);
  }
  return [...numbers.keys()].sort().flatMap((key) => numbers.get(key) ?? []);
}
