// What is not seen at once after an edit waits until what is seen was asked for.

const AFTER_MS = 150;

/** Give a call that does something a moment later, once for all calls until then. */
export function unhurried(run) {
  let waits = false;
  return () => {
    if (waits) return;
    waits = true;
    setTimeout(() => {
      waits = false;
      run();
    }, AFTER_MS);
  };
}
