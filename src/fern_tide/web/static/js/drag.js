// A pointer that was pressed, followed until it is let go.

/**
 * @param {any} down the press
 * @param {any} element holds the pointer meanwhile
 * @param {{ move?: (event: any) => any, end?: (event: any) => any, moves?: string, signal: AbortSignal }} how
 *   end hears of pointerup and of pointercancel; moves is the event that moves, if another
 */
export function follow(down, element, { move = () => {}, end = () => {}, moves = "pointermove", signal }) {
  element.setPointerCapture(down.pointerId);
  const scope = new AbortController();
  const options = { signal: AbortSignal.any([signal, scope.signal]) };
  element.addEventListener(moves, move, options);
  for (const type of ["pointerup", "pointercancel"]) {
    element.addEventListener(
      type,
      (event) => {
        scope.abort();
        end(event);
      },
      options,
    );
  }
}
