// The environment of all tests. Jest runs each file in a context of its own, in which every global, `Uint8Array` too, is
// found through an interceptor: loops over bytes take ten times as long. Here files run in their worker's own context
// (Jest compiles modules by `vm.compileFunction` for the environment's context); modules are still loaded anew for each.
const { AsyncLocalStorage } = require("node:async_hooks");
const vm = require("node:vm");
const { TestEnvironment } = require("jest-environment-node");
const { LegacyFakeTimers, ModernFakeTimers } = require("@jest/fake-timers");
const { ModuleMocker } = require("jest-mock");

const shared = new WeakSet();
const { compileFunction } = vm;
vm.compileFunction = (code, parameters, options) =>
  compileFunction(
    code,
    parameters,
    shared.has(options?.parsingContext) ? { ...options, parsingContext: undefined } : options,
  );

// Jest's runner makes a storage for each file and lets it run on, and each promise of all later files is told to each of
// them: after fifty files a promise costs seven times as much. They end with their file.
const storages = new Set();
const { run } = AsyncLocalStorage.prototype;
AsyncLocalStorage.prototype.run = function (...args) {
  storages.add(this);
  return run.apply(this, args);
};

const timerConfig = {
  idToRef: (id) => ({ id, ref: () => id, unref: () => id }),
  refToId: (timer) => timer?.id,
};

module.exports = class SharedContext extends TestEnvironment {
  constructor(config, context) {
    super(config, context);
    shared.add(this.context);
    this.global = globalThis;
    this.moduleMocker = new ModuleMocker(globalThis);
    const own = { config: config.projectConfig, global: globalThis };
    this.fakeTimers = new LegacyFakeTimers({ ...own, moduleMocker: this.moduleMocker, timerConfig });
    this.fakeTimersModern = new ModernFakeTimers(own);
  }

  async teardown() {
    for (const storage of storages) storage.disable();
    storages.clear();
    await super.teardown();
  }
};
