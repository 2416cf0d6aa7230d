import type { Metadata } from "next";
import { Door } from "../_door/door";
import { PasswordForm } from "./password-form";
import { ResetForm } from "./reset-form";

// The link is a secret: no other page is told of it.
export const metadata: Metadata = { title: "Choose a password", referrer: "no-referrer" };

interface Props {
  searchParams: Promise<{ token?: string | string[] }>;
}

export default async function Password({ searchParams }: Props) {
  const { token } = await searchParams;
  return typeof token === "string" ? (
    <Door title="Choose a password">
      <PasswordForm token={token} />
    </Door>
  ) : (
    <Door title="Forgot the password?">
      <ResetForm />
    </Door>
  );
}
