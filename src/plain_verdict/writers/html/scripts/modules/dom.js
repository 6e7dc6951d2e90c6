// What the page's elements are, with their types.

/**
 * @param {ParentNode} root
 * @param {string} selector
 * @returns {HTMLElement | null}
 */
export const find = (root, selector) => root.querySelector(selector);

/**
 * Returns an element that the template always writes.
 * @param {ParentNode} root
 * @param {string} selector
 * @returns {HTMLElement}
 */
export function need(root, selector) {
  const found = find(root, selector);
  if (!found) throw new Error(`the page has no ${selector}`);
  return found;
}

/**
 * @param {ParentNode} root
 * @param {string} selector
 * @returns {HTMLElement[]}
 */
export const findAll = (root, selector) => [...root.querySelectorAll(/** @type {"div"} */ (selector))];

/**
 * @param {Element} node
 * @returns {node is HTMLDetailsElement}
 */
export const isDetails = (node) => node.tagName === "DETAILS";

/**
 * Returns the text of a part of the page by its id; "" where it has none.
 * @param {string} id
 */
export const textOf = (id) => document.getElementById(id)?.textContent ?? "";

/** @param {number} count */
export const inWords = (count) => count.toLocaleString("en");
