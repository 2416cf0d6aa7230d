// Solves integer programs with HiGHS in a thread of its own, one after the other.
import { parentPort } from "node:worker_threads";
import { expose } from "comlink";
import nodeEndpoint from "comlink/dist/esm/node-adapter.mjs";
import loadHighs from "highs";

const ready = loadHighs();
const FEASIBLE = 2;

/**
 * The best that is found in so many seconds, from values to begin with where there are some.
 * @param {import("highs").Highs} highs
 * @param {{ data: import("highs").ModelData, seconds: number, start: Float64Array | null, isRelaxed?: boolean }} asked
 */
function solve(highs, { data, seconds, start, isRelaxed = false }) {
  const integrality = isRelaxed ? new Int32Array(data.numCols) : data.integrality;
  return highs.withModel({ ...data, integrality }, (model) => {
    // As near to its bound as it is exact: then it counts as least.
    model.options.set({ output_flag: false, time_limit: seconds, mip_rel_gap: 1e-6, mip_abs_gap: 1e-6 });
    if (start) model.setSolution({ colValue: start });
    model.run();
    return {
      // HiGHS, `SolutionStatus`: feasible is 2. Without that the values are whatever they were last.
      values: model.info.get("primal_solution_status") === FEASIBLE ? model.getSolution().colValue : null,
      reducedCosts: isRelaxed ? model.getSolution().colDual : null,
      isSolved: model.getModelStatus() === highs.constants.modelStatus.optimal,
      bound: Number(model.info.get("mip_dual_bound")),
    };
  });
}

expose(async (asked) => solve(await ready, asked), nodeEndpoint(parentPort));
