// Beside the page: lays drawn pictures over each other, and gives them as pixels or as a file, while the page draws the next ones.

const scope = /** @type {any} */ (globalThis);
let context = null;
let background = null;
let last = Promise.resolve();

function begin({ width, height, clear, ...more }) {
  context = new OffscreenCanvas(width, height).getContext("2d", { alpha: clear, willReadFrequently: true });
  background = clear ? null : more.background;
}

function lay(layers) {
  const { width, height } = context.canvas;
  context.clearRect(0, 0, width, height);
  if (background) {
    context.fillStyle = background;
    context.fillRect(0, 0, width, height);
  }
  for (const { picture, y } of layers) {
    if (y === undefined) context.drawImage(picture, 0, 0, width, height);
    else context.drawImage(picture, 0, y);
    picture.close();
  }
}

/** Give the pixels, or the file that is wanted; null where there is no memory for it. */
async function draw({ layers, as }) {
  try {
    lay(layers);
    if (as.type) return scope.postMessage(await context.canvas.convertToBlob(as));
    const { data } = context.getImageData(0, 0, context.canvas.width, context.canvas.height);
    scope.postMessage(data.buffer, [data.buffer]);
  } catch {
    scope.postMessage(null);
  }
}

scope.onmessage = ({ data }) => {
  if (data.begin) begin(data.begin);
  else last = last.then(() => draw(data));
};
