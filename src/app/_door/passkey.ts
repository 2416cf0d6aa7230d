import {
  type PublicKeyCredentialCreationOptionsJSON,
  type PublicKeyCredentialRequestOptionsJSON,
  startAuthentication,
  startRegistration,
} from "@simplewebauthn/browser";
import { type Answer, ask } from "./ask";

const CANCELLED: Answer = { ok: false, problem: "No passkey was used. Try again, or use your password." };

/** Makes a passkey for whoever is signed in, under a name of its own. */
export async function makePasskey(name: string): Promise<Answer> {
  const options = await ask("/passkey/generate-register-options");
  if (!options.ok) return options;
  try {
    // The library's own answer: what does not fit it the browser refuses.
    const optionsJSON = options.value as PublicKeyCredentialCreationOptionsJSON;
    const response = await startRegistration({ optionsJSON });
    return await ask("/passkey/verify-registration", { response, name });
  } catch (error) {
    const isThere = error instanceof Error && error.name === "InvalidStateError";
    return isThere ? { ok: false, problem: "This device has a passkey for Creel already." } : CANCELLED;
  }
}

/** Signs in by a passkey, which knows whose it is. */
export async function signInByPasskey(): Promise<Answer> {
  const options = await ask("/passkey/generate-authenticate-options");
  if (!options.ok) return options;
  try {
    const optionsJSON = options.value as PublicKeyCredentialRequestOptionsJSON;
    const response = await startAuthentication({ optionsJSON });
    return await ask("/passkey/verify-authentication", { response });
  } catch {
    return CANCELLED;
  }
}
