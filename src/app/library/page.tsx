import type { Metadata } from "next";
import Link from "next/link";
import { bytesText } from "@/core/words/sizes";
import { visible } from "@/core/words/visible";
import { isEnough } from "@/server/accounts/roles";
import { listUploads, readLibrary } from "@/server/bench/uploads";
import { zonedTimeText } from "@/ui/words";
import { currentContext } from "../_lib/context";
import { ActButton } from "../_parts/act-button";
import { KitsNav } from "../kits/nav";
import { removeLibraryFileAction } from "./actions";
import { RefreshWhile } from "./refresh-while";
import { UploadBench } from "./upload-bench";

export const metadata: Metadata = { title: "Library" };

const STATES = {
  sending: "not complete",
  checking: "being checked",
  done: "in the library",
  failed: "failed",
  cancelled: "cancelled",
} as const;
const TROUBLES = {
  differs: "What arrived differs from what was sent. Send it again.",
  unforeseen: "Unexpected error; the server log has the details. Send it again.",
  "disk-full": "The server's disk is full.",
} as const;

export default async function LibraryPage() {
  const context = await currentContext();
  const [{ entries, others, freeBytes }, uploads] = await Promise.all([readLibrary(context), listUploads(context, 12)]);
  const missing = entries.filter(({ isThere }) => !isThere);
  return (
    <>
      <KitsNav here="/library" />
      <div className="max-w-4xl">
        <h1>Library</h1>
        <p className="text-quiet">
          The files that releases were read from. Media are made from them, and verified against them.
          {freeBytes !== null && ` ${bytesText(freeBytes)} free.`}
        </p>
        {isEnough(context.account.role, "technician") && (
          <div className="mt-4">
            <UploadBench
              wanted={missing.map(({ releaseId, kit, release, name, bytes }) => ({
                ...{ releaseId, name, bytes },
                of: `${kit} ${release}`,
              }))}
              there={entries.filter(({ isThere }) => isThere).map(({ name, bytes }) => ({ name, bytes }))}
            />
          </div>
        )}
        {entries.length === 0 ? (
          <p className="mt-5">
            No release was read from a file yet.{" "}
            <Link prefetch={false} className="link" href="/look">
              Read a file
            </Link>
          </p>
        ) : (
          <ul aria-label="Files of releases" className="mt-5 divide-y divide-line border-line border-y">
            {entries.map(({ releaseId, kit, release, name, bytes, isThere }) => (
              <li key={releaseId} className="flex flex-wrap items-baseline justify-between gap-x-4 py-1.5">
                <span>
                  <Link prefetch={false} className="link font-semibold" href={`/releases/${releaseId}`}>
                    {kit} {release}
                  </Link>{" "}
                  <span className="code text-[0.85rem]">{visible(name, 80)}</span>
                </span>
                <span className={isThere ? "text-quiet" : "text-plum"}>
                  {isThere ? bytesText(bytes) : `missing, ${bytesText(bytes)}`}
                </span>
              </li>
            ))}
          </ul>
        )}
        {others.length > 0 && (
          <section className="mt-6">
            <h2>Needed by no release</h2>
            <ul className="mt-2 divide-y divide-line border-line border-y">
              {others.map(({ name, bytes }) => (
                <li key={name} className="flex flex-wrap items-baseline justify-between gap-x-4 py-1.5">
                  <span className="code">{visible(name, 120)}</span>
                  <span className="flex items-baseline gap-3">
                    {bytesText(bytes)}
                    {isEnough(context.account.role, "lead") && (
                      <ActButton
                        text="Remove"
                        label={`Remove ${name}`}
                        act={removeLibraryFileAction.bind(null, name)}
                      />
                    )}
                  </span>
                </li>
              ))}
            </ul>
          </section>
        )}
        {uploads.length > 0 && (
          <section className="mt-6">
            <h2>Latest uploads</h2>
            {uploads.some(({ state }) => state === "checking") && <RefreshWhile />}
            <ul aria-label="Latest uploads" className="mt-2 divide-y divide-line border-line border-y">
              {uploads.map(({ id, name, bytes, state, trouble, by, createdAt }) => (
                <li key={id} className="py-1.5">
                  <span className="code">{visible(name, 80)}</span>, {bytesText(bytes)}:{" "}
                  <span className={state === "failed" ? "text-plum" : ""}>{STATES[state]}</span>
                  {trouble && <span> {TROUBLES[trouble]}</span>}
                  <span className="caption ml-2">
                    {by}, {zonedTimeText(createdAt)}
                  </span>
                </li>
              ))}
            </ul>
            {uploads.some(({ state }) => state === "sending") && (
              <p className="caption mt-1">Drop a file again to go on where its upload stopped.</p>
            )}
          </section>
        )}
      </div>
    </>
  );
}
