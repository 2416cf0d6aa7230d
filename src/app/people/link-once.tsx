import { SecretOnce } from "@/ui/secret-once";

/** A link by which somebody chooses a password. */
export function LinkOnce({ name, link, isUnsent }: { name: string; link: string; isUnsent: boolean }) {
  const sent = isUnsent ? `The mail to ${name} could not be sent.` : `Sent to ${name} by mail.`;
  return (
    <SecretOnce
      text={`${sent} You can also hand this link over; it works once, within 7 days, and is not shown again.`}
      secret={link}
    />
  );
}
