/** The tables, by what they are about. */

export * from "./accounts";
export * from "./arrivals";
export * from "./audit";
export * from "./bench";
export * from "./callouts";
export * from "./computers";
export * from "./images";
export * from "./jobs";
export * from "./log";
export * from "./media";
export * from "./revision";
export * from "./tokens";
export * from "./upkeep";
export * from "./uploads";
