import { once } from "node:events";
import { createServer, get, type IncomingMessage } from "node:http";
import type { AddressInfo } from "node:net";
import { LOOPBACK, sayPeer, sayPeers, trustedPeers } from "./peers";

const from = (remoteAddress: string | undefined, headers: Record<string, string>) =>
  ({ headers, socket: { remoteAddress } }) as unknown as IncomingMessage;

/** What a request that came from an address says of where it came from, after a list of proxies. */
function said(remoteAddress: string | undefined, proxies: string, headers: Record<string, string>) {
  const request = from(remoteAddress, { ...headers });
  const trusted = trustedPeers(proxies);
  if (!trusted) throw new Error("no list");
  sayPeer(request, trusted);
  return request.headers;
}

const told = { "x-forwarded-for": "203.0.113.9", "x-forwarded-host": "evil.example" };

// Documentation addresses: RFC 5737 and RFC 3849.
test.each([
  ["an address", "198.51.100.7", "198.51.100.7", true],
  ["a network", "198.51.100.7", "198.51.100.0/24", true],
  ["an address of IPv6", "2001:db8::7", "2001:db8::7", true],
  ["a network of IPv6", "2001:db8::7", "10.0.0.1, 2001:db8::/32", true],
  ["an address of IPv4 on a socket for both", "::ffff:198.51.100.7", "198.51.100.7", true],
  ["this machine", "::1", LOOPBACK, true],
  ["this machine by IPv4", "::ffff:127.0.0.1", LOOPBACK, true],
  ["another address", "198.51.100.8", "198.51.100.7", false],
  ["another network", "198.51.101.7", "198.51.100.0/24", false],
  ["nobody", "127.0.0.1", "", false],
])("a proxy is told by %s", (_what, peer, proxies, isTrusted) => {
  const headers = said(peer, proxies, told);
  expect(headers["x-forwarded-for"]).toBe(isTrusted ? "203.0.113.9" : peer.replace("::ffff:", ""));
  expect(headers["x-forwarded-host"]).toBe(isTrusted ? "evil.example" : undefined);
});

test("a connection that is gone says nothing, whatever it wrote", () => {
  expect(said(undefined, LOOPBACK, told)).toEqual({});
});

test.each(["10.0.0", "proxy.example", "10.0.0.0/33", "10.0.0.0/", "2001:db8::/129", "10.0.0.0/8/8"])(
  "%j is no list of proxies",
  (named) => {
    expect(trustedPeers(named)).toBeNull();
  },
);

test("every request to a server of this process says it before anything reads it", async () => {
  sayPeers("198.51.100.7");
  const server = createServer((request, response) => response.end(request.headers["x-forwarded-for"]));
  server.listen(0, "127.0.0.1");
  await once(server, "listening");
  const { port } = server.address() as AddressInfo;
  const [response] = (await once(get({ host: "127.0.0.1", port, headers: told }), "response")) as [IncomingMessage];
  const parts: Buffer[] = [];
  for await (const part of response) parts.push(part as Buffer);
  server.close();
  expect(Buffer.concat(parts).toString()).toBe("127.0.0.1");
});
