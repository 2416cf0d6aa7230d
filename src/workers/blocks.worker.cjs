// Packs and unpacks the blocks of images by Zstandard, in a thread of its own.
const { parentPort } = require("node:worker_threads");
const { compress, decompress, init } = require("@bokuweb/zstd-wasm");

/** Of Zstandard: 3 is its usual one, 1 takes half the time for some percent more. */
const LEVEL = 1;
const ready = init();

function unpacked(packed) {
  try {
    return decompress(packed);
  } catch {
    // Damage: whoever asked is told that there is nothing.
    return null;
  }
}

parentPort.on("message", async ({ id, block, packed }) => {
  await ready;
  parentPort.postMessage({ id, bytes: packed ? unpacked(packed) : compress(block, LEVEL) });
});
