import type { Metadata } from "next";
import { isSetUpCode } from "@/server/accounts/set-up";
import { database } from "@/server/db/client";
import { Door } from "../_door/door";
import { SetUpForm } from "./set-up-form";

export const metadata: Metadata = { title: "Set up", referrer: "no-referrer" };

interface Props {
  searchParams: Promise<{ code?: string | string[] }>;
}

export default async function SetUp({ searchParams }: Props) {
  const { code } = await searchParams;
  if (typeof code !== "string" || !(await isSetUpCode(database(), code, new Date())))
    return (
      <Door title="This link cannot be used">
        <p>
          It was used, or is older than two days. Start Creel again: it prints a new one while nobody has an account.
        </p>
      </Door>
    );
  return (
    <Door title="Set up Creel">
      <p className="mb-5">
        Two minutes: whose computers these are, where the first of them stand, and who administers Creel.
      </p>
      <SetUpForm code={code} zones={Intl.supportedValuesOf("timeZone")} />
    </Door>
  );
}
