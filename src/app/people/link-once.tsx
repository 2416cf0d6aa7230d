import { SecretOnce } from "@/ui/secret-once";

/** A link by which somebody chooses a password. */
export function LinkOnce({ name, link, isUnsent }: { name: string; link: string; isUnsent: boolean }) {
  const told = isUnsent
    ? `No mail was sent to ${name}: hand this link over.`
    : `Sent to ${name} by mail. You can also hand this link over.`;
  return <SecretOnce text={`${told} It works once, within 7 days, and is not shown again.`} secret={link} />;
}
