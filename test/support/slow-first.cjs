// On a new machine Jest does not know which files take long, and begins with the largest: the longest would come last,
// alone on one processor. They are begun with.
const { default: Sequencer } = require("@jest/test-sequencer");

const LONG = [
  "test/referee/referee",
  "server/host/emulator",
  "server/bench/bench",
  "core/upkeep/upkeep",
  "test/collect/collector",
  "core/medium/drivers/drivers",
  "test/bench/faults",
  "core/medium/volumes/volumes",
];

module.exports = class SlowFirst extends Sequencer {
  sort(tests) {
    const rank = ({ path }) => {
      const at = LONG.findIndex((part) => path.includes(`/${part}.test.`));
      return at < 0 ? LONG.length : at;
    };
    return super.sort(tests).sort((a, b) => rank(a) - rank(b));
  }
};
