import { COLUMN_KEYS, DEFAULT_COLUMNS } from "./columns";
import { type ComputersState, computersQuery, computersState, isNarrowed } from "./state";

const read = (query: string): Promise<ComputersState> =>
  computersState(Promise.resolve(Object.fromEntries(new URLSearchParams(query))));

test("an empty address is the whole list as it is at first", async () => {
  expect(await read("")).toMatchObject({ sort: "tag", descending: false, page: 1, columns: DEFAULT_COLUMNS });
  expect(isNarrowed((await read("")).filter)).toBe(false);
  expect(computersQuery(await read(""))).toBe("");
});

test.each([
  "?q=caf%C3%A9+7",
  "?site=3&firmware=legacy&arch=ia32",
  "?secure=on&signer=-4",
  "?system=Gannet+Desk&make=Ostrel&model=Block+3",
  "?missing=secureBootLists&best=none&retired=1",
  "?sort=-memory&columns=name+memory+disk&page=7",
])("the address %s comes back as it was", async (query) => {
  expect(computersQuery(await read(query))).toBe(query);
});

test.each([
  ["site=x", { siteId: undefined }],
  ["site=-3", { siteId: undefined }],
  ["firmware=toaster", { firmware: undefined }],
  ["missing=everything", { missing: undefined }],
  ["signer=0", { signer: undefined }],
  ["retired=yes", { retired: undefined }],
])("%s filters nothing", async (query, filter) => {
  expect((await read(query)).filter).toEqual(expect.objectContaining(filter));
  expect(isNarrowed((await read(query)).filter)).toBe(false);
});

test("columns that are not there are passed over, and their order is kept", async () => {
  expect((await read("columns=disk+nonsense+name")).columns).toEqual(["disk", "name"]);
  expect((await read(`columns=${COLUMN_KEYS.join("+")}`)).columns).toEqual([...COLUMN_KEYS]);
  expect((await read("columns=nonsense")).columns).toEqual(DEFAULT_COLUMNS);
});

test("an unknown order is by tag", async () => {
  expect(await read("sort=mood")).toMatchObject({ sort: "tag", descending: false });
});
