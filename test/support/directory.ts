import { createServer, type Server } from "node:http";
import type { Configuration } from "oidc-provider";

/** A company's directory: a real OpenID provider, in which anybody is whoever they say, by mail address. */
export interface TestDirectory {
  issuer: string;
  stop: () => Promise<void>;
}

/** Starts it on loopback, for one client. Addresses that begin with "unverified" are told as such. */
export async function startDirectory(
  port: number,
  client: { id: string; secret: string; back: string },
): Promise<TestDirectory> {
  const { default: Provider } = await import("oidc-provider");
  const issuer = `http://127.0.0.1:${port}`;
  const configuration: Configuration = {
    clients: [
      {
        ...{ client_id: client.id, client_secret: client.secret, redirect_uris: [client.back] },
        ...{ grant_types: ["authorization_code"], response_types: ["code"] },
      },
    ],
    claims: { openid: ["sub"], email: ["email", "email_verified"], profile: ["name"] },
    features: { devInteractions: { enabled: true } },
    pkce: { required: () => true },
    cookies: { keys: ["directory"] },
    ttl: { Interaction: 600, Session: 600, Grant: 600, AccessToken: 600, IdToken: 600 },
    findAccount: (_ctx, sub) => ({
      accountId: sub,
      claims: () => ({ sub, name: "Somebody", email: sub, email_verified: !sub.startsWith("unverified") }),
    }),
  };
  const provider = new Provider(issuer, configuration);
  const server: Server = createServer(provider.callback());
  await new Promise<void>((resolve) => server.listen(port, "127.0.0.1", resolve));
  return {
    issuer,
    stop: () =>
      new Promise((resolve) => {
        server.closeAllConnections();
        server.close(() => resolve());
      }),
  };
}
