// @ts-check
// What a page shows by Alpine: state that a module holds, and that the page's templates name as `$store.NAME`.

/** The state, live: what is put into it is on the screen with the next picture. Alpine starts after all modules, so what
 * is put into it before that is there from the beginning.
 * @template {object} T @param {string} name @param {T} state @returns {T} */
export function onScreen(name, state) {
  /** @type {object} */
  let live = state;
  document.addEventListener("alpine:init", () => {
    const alpine = window.Alpine;
    alpine.store(name, state);
    live = alpine.store(name);
  });
  return /** @type {T} */ (
    new Proxy(/** @type {object} */ (state), {
      get: (_, key) => Reflect.get(live, key),
      set: (_, key, value) => Reflect.set(live, key, value),
    })
  );
}
