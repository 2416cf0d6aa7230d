import type { Metadata } from "next";
import { notFound } from "next/navigation";
import { ownOrganisation } from "@/server/accounts/organisation";
import { contextOf } from "../_lib/context";
import { OfPeople } from "../people/nav";
import { OrganisationForm } from "./organisation-form";

export const metadata: Metadata = { title: "Organisation" };

export default async function OrganisationPage() {
  const organisation = await ownOrganisation(await contextOf("administrator"));
  if (!organisation) notFound();
  return (
    <>
      <OfPeople here="/organisation" />
      <h1>Organisation</h1>
      <p className="mt-1 max-w-xl text-quiet">
        Times are shown in its time zone, and prices are in its currency. Days begin and end at midnight UTC.
      </p>
      <OrganisationForm organisation={organisation} zones={Intl.supportedValuesOf("timeZone")} />
    </>
  );
}
