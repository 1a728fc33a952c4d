// Beside the page: writes drawn pictures as files, while the page draws the next ones.

const scope = /** @type {any} */ (globalThis);
const canvas = new OffscreenCanvas(1, 1);
const context = canvas.getContext("2d", { willReadFrequently: true });

scope.onmessage = async ({ data: { pixels, type, quality } }) => {
  if (canvas.width !== pixels.width || canvas.height !== pixels.height) Object.assign(canvas, { width: pixels.width, height: pixels.height });
  context.putImageData(pixels, 0, 0);
  try {
    scope.postMessage(await canvas.convertToBlob({ type, quality }));
  } catch {
    scope.postMessage(null); // there is no memory for it
  }
};
