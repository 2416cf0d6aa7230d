/** The first of the demo's people; they are numbered in the order of scripts/demo/skerry-line.ts. */
const INA = 1;

/**
 * Signs in to a demo that runs at `address` as one of its people, and gives the cookies, as browsers and requests take
 * them.
 */
export async function demoSession(address, person = INA) {
  const answer = await fetch(`${address}/api/auth/sign-in/demo`, {
    method: "POST",
    headers: { "content-type": "application/json", origin: address },
    body: JSON.stringify({ person }),
  });
  if (!answer.ok) throw new Error(`Nobody could be signed in at ${address}: ${answer.status} ${await answer.text()}`);
  const cookies = answer.headers.getSetCookie().map((line) => {
    const [pair = ""] = line.split(";");
    const at = pair.indexOf("=");
    return { name: pair.slice(0, at), value: pair.slice(at + 1), url: address };
  });
  return { cookies, header: cookies.map(({ name, value }) => `${name}=${value}`).join("; ") };
}
