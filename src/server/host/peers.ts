import { subscribe } from "node:diagnostics_channel";
import type { IncomingMessage } from "node:http";
import { BlockList, isIP } from "node:net";

/** Who may tell for whom they ask: addresses and networks ("10.0.0.5", "fd00::/8"). Null: one of them is neither. */
export function trustedPeers(named: string): BlockList | null {
  const trusted = new BlockList();
  for (const each of named.split(",").flatMap((part) => part.trim() || [])) {
    const [address = "", length, ...more] = each.split("/");
    const version = isIP(address);
    const bits = length === undefined ? null : Number(length);
    if (version === 0 || more.length > 0) return null;
    if (bits === null) trusted.addAddress(address, version === 6 ? "ipv6" : "ipv4");
    else if (!/^\d+$/.test(length ?? "") || bits > (version === 6 ? 128 : 32)) return null;
    else trusted.addSubnet(address, bits, version === 6 ? "ipv6" : "ipv4");
  }
  return trusted;
}

/** What may stand before Creel on the same machine. */
export const LOOPBACK = "127.0.0.0/8,::1";

/**
 * From where a request came, said in its headers: where what sent it is not a proxy of ours, X-Forwarded-For is what
 * anybody may write, so that it is replaced by the address at the other end of the connection.
 */
export function sayPeer(request: Pick<IncomingMessage, "headers" | "socket">, trusted: BlockList): void {
  // An IPv4 peer of a socket for both is written as an IPv6 address (RFC 4291, 2.5.5.2).
  const peer = request.socket.remoteAddress?.replace(/^::ffff:(?=\d+\.)/i, "") ?? "";
  const version = isIP(peer);
  if (version !== 0 && trusted.check(peer, version === 6 ? "ipv6" : "ipv4")) return;
  if (peer === "") delete request.headers["x-forwarded-for"];
  else request.headers["x-forwarded-for"] = peer;
  delete request.headers["x-forwarded-host"];
  delete request.headers["x-forwarded-proto"];
}

/** Has each request say from where it came, before anything reads it (diagnostics_channel, "http.server.request.start"). */
export function sayPeers(named: string): void {
  const trusted = trustedPeers(named);
  if (!trusted) return;
  subscribe("http.server.request.start", (message) =>
    sayPeer((message as { request: IncomingMessage }).request, trusted),
  );
}
