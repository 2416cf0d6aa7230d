// How "@/…" is resolved, for tools that do not read tsconfig.json.
const { join } = require("node:path");

module.exports = {
  resolve: {
    alias: { "@": join(__dirname, "..", "..", "src") },
    extensions: [".ts", ".tsx", ".mts", ".mjs", ".js", ".json"],
  },
};
