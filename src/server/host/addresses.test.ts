import { doorRefusal, ownOrigins } from "./addresses";

const headers = (named: Record<string, string>) => new Headers(named);
const own = { host: "creel.example", origin: "https://creel.example" };

beforeEach(() => {
  process.env.CREEL_URL = "https://creel.example, http://10.0.0.5:4824";
});
afterAll(() => {
  delete process.env.CREEL_URL;
});

test("Creel knows the addresses that it was given, as origins", () => {
  expect(ownOrigins()).toEqual(["https://creel.example", "http://10.0.0.5:4824"]);
  process.env.CREEL_URL = "https://creel.example/, nonsense";
  expect(ownOrigins()).toEqual(["https://creel.example"]);
  delete process.env.CREEL_URL;
  expect(ownOrigins()).toEqual([]);
});

test("what is read needs one of its names, what is written one of its pages too", () => {
  expect(doorRefusal("GET", headers({ host: "creel.example" }))).toBeNull();
  expect(doorRefusal("GET", headers({ host: "CREEL.example" }))).toBeNull();
  expect(doorRefusal("POST", headers(own))).toBeNull();
  expect(doorRefusal("POST", headers({ host: "10.0.0.5:4824", origin: "http://10.0.0.5:4824" }))).toBeNull();
  expect(doorRefusal("DELETE", headers({ ...own, "x-forwarded-host": "creel.example" }))).toBeNull();
});

test.each([
  ["another name", { host: "evil.example" }],
  ["its name at another port", { host: "creel.example:8080" }],
  ["no name", {}],
  ["a proxy that was told another name", { host: "creel.example", "x-forwarded-host": "evil.example" }],
  ["a chain of proxies with another name in it", { host: "creel.example", "x-forwarded-host": "creel.example, evil" }],
])("%s is refused, also for reading", (_what, named) => {
  expect(doorRefusal("GET", headers(named as Record<string, string>))).toBe("foreign-host");
});

// Fetch, "Origin header": a browser sends "null" for opaque origins, such as a sandboxed frame or a file.
test.each(["https://evil.example", "null", "http://creel.example", "https://creel.example.evil", ""])(
  "a write from %j is refused",
  (origin) => {
    expect(doorRefusal("POST", headers({ ...own, origin }))).toBe("foreign-origin");
    expect(doorRefusal("GET", headers({ ...own, origin }))).toBeNull();
  },
);

test("a write that names no page is refused", () => {
  expect(doorRefusal("PUT", headers({ host: "creel.example" }))).toBe("foreign-origin");
});
