import { DUE_KINDS, type DueItem, someOf } from "@/core/upkeep/due";
import { actOf } from "./due-acts";

const item = (more: Partial<DueItem>): DueItem => ({
  ...{ key: "k", kind: "drill", medium: "RM/01", computer: "HO 003", site: "Head office", breaksOn: null },
  ...{ reason: { code: "worn" }, loses: someOf([]) },
  ...more,
});

test("everything that is due leads to where it is done", () => {
  for (const kind of DUE_KINDS) {
    const { href, text } = actOf(item({ kind }));
    expect(href).toMatch(/^\/[a-z]/);
    expect(text).not.toBe("");
  }
});

test("tags are written so that an address holds them", () => {
  expect(actOf(item({})).href).toBe("/drills/new?medium=RM%2F01&computer=HO+003");
  expect(actOf(item({ kind: "loan" }))).toEqual({ href: "/media/RM%2F01", text: "See RM/01" });
  expect(actOf(item({ kind: "image", medium: null })).href).toBe("/images/take?computer=HO+003");
});

test("a system that ended leads to the computers that run it, a release to the bench", () => {
  const reason = { code: "system-ended", system: "Gannet Desk 10.2", on: "2025-10-14", computers: 2 } as const;
  expect(actOf(item({ kind: "ended", medium: null, reason })).href).toBe("/computers?system=Gannet+Desk+10.2");
  expect(actOf(item({ kind: "ended" })).href).toBe("/bench");
});
