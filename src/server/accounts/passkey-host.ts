import { isIP } from "node:net";
import { ownOrigins } from "../host/addresses";

/**
 * The name that passkeys are of, by the first address of the server; null where it has none but a number, or no https:
 * browsers make passkeys for names over https, and for their own machine (Web Authentication level 2, 5.1.2).
 */
export function passkeyHost(): string | null {
  const [origin] = ownOrigins();
  if (!origin) return null;
  const { hostname, protocol } = new URL(origin);
  if (isIP(hostname.replace(/^\[|\]$/g, "")) !== 0) return null;
  return protocol === "https:" || hostname === "localhost" ? hostname : null;
}
