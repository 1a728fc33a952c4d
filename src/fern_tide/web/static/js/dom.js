// The page's elements, without their kinds: what an id names is known by who asks.

/** @param {string} id @returns {any} */
export const byId = (id) => document.getElementById(id);

/** @param {string} selector @returns {any} */
export const first = (selector) => document.querySelector(selector);

/** What has the focus. @returns {any} */
export const focused = () => document.activeElement;

/**
 * Listen on the whole page.
 * @param {string} type
 * @param {(event: any) => any} run
 * @param {AddEventListenerOptions} [options]
 */
export const onPage = (type, run, options) => document.addEventListener(type, run, options);
