import { parentPort } from "node:worker_threads";
import { expose } from "comlink";
import nodeEndpoint from "comlink/dist/esm/node-adapter.mjs";
import { READERS } from "@/server/inspections/bodies";

/** Reads what was sent to the server: whatever it is, it holds nobody up, and ends with this thread. */
if (parentPort) expose(READERS, nodeEndpoint(parentPort));
