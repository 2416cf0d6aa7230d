import { readFileSync } from "node:fs";
import { join } from "node:path";
import { openRoute } from "@/app/_lib/guard";
import { filesOfApp } from "../support/app-files";
import { actionsOfApp, routesOfApp } from "../support/guarded";

// What stands open in the interface, read from the interface itself: what is added without a guard fails here.

test("every action names the role that may call it, and is called what it is exported as", async () => {
  const actions = await actionsOfApp();
  expect(actions.length).toBeGreaterThan(80);
  expect(actions.filter(({ guard }) => guard === null)).toEqual([]);
  expect(actions.filter(({ exported, guard }) => exported !== `${guard?.name}Action`)).toEqual([]);
  expect(actions.filter(({ guard }) => guard?.role === "anybody").map(({ guard }) => guard?.name)).toEqual(["setUp"]);
});

test("every route names the role that may call it", async () => {
  const routes = await routesOfApp();
  expect(routes.length).toBeGreaterThan(20);
  expect(routes.filter(({ guard }) => guard === null)).toEqual([]);
  const open = routes.filter(({ guard }) => guard?.role === "anybody").map(({ path }) => path);
  expect(open).toEqual([
    "api/auth/[...all]/route.ts",
    "api/auth/[...all]/route.ts",
    "api/v1/openapi.json/route.ts",
    "bench/hosts/[file]/route.ts",
    "health/route.ts",
    "ready/route.ts",
  ]);
});

test("no two are called alike, so that the audit tells them apart", async () => {
  const names = [...(await actionsOfApp()), ...(await routesOfApp())].map(({ guard }) => guard?.name);
  expect(names).toEqual([...new Set(names)]);
});

test("what changes something far and wide needs a lead or an administrator", async () => {
  const roles = new Map((await actionsOfApp()).map(({ guard }) => [guard?.name, guard?.role]));
  const far = [
    ...["bulkChange", "undoBatch", "retireComputer", "retireMedium", "retireStore", "forgetImages", "startImport"],
    ...["acceptPlan", "saveRule", "saveRuleValue", "setTravel", "setMailAddress", "sendDigests", "switchFault"],
    ...["addStore", "saveStore"],
  ];
  expect(far.filter((name) => roles.get(name) !== "lead")).toEqual([]);
  const ofPeople = ["invite", "inviteAgain", "changeAccount", "endSessions", "removeSecondFactor"];
  expect(ofPeople.filter((name) => roles.get(name) !== "administrator")).toEqual([]);
});

/** Pages for those who are not in yet; each of them asks for nothing of the inventory. */
const DOORS = ["password/page.tsx", "set-up/page.tsx", "sign-in/page.tsx"];

test("every page asks who it is for", () => {
  const open = filesOfApp((name) => name === "page.tsx").filter((path) => {
    const text = readFileSync(join("src", "app", path), "utf8");
    return !/\b(currentContext|contextOf)\(/.test(text);
  });
  expect(open).toEqual(DOORS);
});

test("nothing in the interface reaches the database but by who is signed in", () => {
  const direct = filesOfApp((name) => /\.tsx?$/.test(name) && !name.includes(".test.")).filter((path) =>
    readFileSync(join("src", "app", path), "utf8").includes('from "@/server/db/client"'),
  );
  expect(direct).toEqual([
    ...["_lib/context.ts", "_lib/guard.ts", "api/auth/[...all]/route.ts", "health/route.ts", "ready/route.ts"],
    ...["set-up/actions.ts", "set-up/page.tsx", "sign-in/page.tsx"],
  ]);
});

// RFC 9110, 9.3.2: an answer to HEAD has no content, and the same header as an answer to GET.
test("what is only asked for its head lets go of what it would have sent", async () => {
  const letGo: string[] = [];
  const answer = openRoute("fileForTest", async ({ method }) => {
    const content = new ReadableStream({ cancel: () => void letGo.push(method) });
    return new Response(content, { headers: { "content-length": "5" } });
  });
  const head = await answer(new Request("http://creel.test/file", { method: "HEAD" }));
  expect([head.body, head.headers.get("content-length"), letGo]).toEqual([null, "5", ["HEAD"]]);
  const whole = await answer(new Request("http://creel.test/file"));
  expect([whole.body === null, letGo.length]).toEqual([false, 1]);
});
