// Beside the page: writes drawn pictures as files, while the page draws the next ones.

const scope = /** @type {any} */ (globalThis);
const canvas = new OffscreenCanvas(1, 1);
const context = canvas.getContext("bitmaprenderer");

scope.onmessage = async ({ data: { picture, type, quality } }) => {
  context.transferFromImageBitmap(picture);
  try {
    scope.postMessage(await canvas.convertToBlob({ type, quality }));
  } catch {
    scope.postMessage(null); // there is no memory for it
  }
};
