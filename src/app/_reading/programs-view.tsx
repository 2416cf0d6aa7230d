import clsx from "clsx";
import type { Program } from "@/core/medium/contents/schema";
import { signatureFaultText } from "@/core/words/contents";
import { archText } from "@/core/words/firmware";
import { bytesText } from "@/core/words/sizes";
import { visible } from "@/core/words/visible";
import { dateText } from "@/ui/words";

/** The EFI programs of a medium: who signed each, with whose certificates, and what it checks the next one with. */
export function ProgramsView({
  programs,
  today,
  wide = false,
}: {
  programs: Program[];
  today: string;
  /** There is room for program and signers side by side. */
  wide?: boolean;
}) {
  if (programs.length === 0) return <p>No UEFI program found, so there is nothing to sign.</p>;
  return (
    <ul className="divide-y divide-line border-line border-y">
      {programs.map((program) => (
        <li
          key={`${program.volume} ${program.path}`}
          className={clsx("grid gap-x-6 gap-y-1 py-2.5", wide && "lg:grid-cols-[20rem_minmax(0,1fr)]")}
        >
          <div>
            <div className="code font-bold break-all">{visible(program.path, 120)}</div>
            <div className="text-quiet">
              {program.machine ? archText(program.machine) : "for another machine"}, {bytesText(program.bytes)}
            </div>
            <div className="caption code break-all" title="Authenticode SHA-256 (the hash that db and dbx list)">
              {program.authenticode ?? "its layout allows no hash"}
            </div>
            {program.faults.length > 0 && (
              <div className="text-plum">Firmware may refuse it: {program.faults.join(", ")}.</div>
            )}
          </div>
          <div className="min-w-0">
            {program.signatures.length === 0 && (
              <p>Not signed. With Secure Boot on, firmware allows it only if its hash is enrolled.</p>
            )}
            {program.signatures.map((signature, index) => (
              <Signature
                // biome-ignore lint/suspicious/noArrayIndexKey: signatures have no name of their own and never move
                key={index}
                signature={signature}
                today={today}
              />
            ))}
            {program.builtIn && <BuiltIn lists={program.builtIn} />}
            {program.sbat && program.sbat.length > 0 && (
              <p className="caption">
                Generations: {program.sbat.map((row) => `${visible(row.component, 40)} ${row.generation}`).join(", ")}
              </p>
            )}
          </div>
        </li>
      ))}
    </ul>
  );
}

function Signature({ signature, today }: { signature: Program["signatures"][number]; today: string }) {
  const last = signature.chain.at(-1);
  return (
    <div className="mb-1.5">
      <p>
        {signature.nested ? "Also, inside the first signature, signed by " : "Signed by "}
        <strong>{visible(signature.signerName || "a signer whose certificate is not included", 120)}</strong>
        {signature.signedAt && <span className="text-quiet"> on {dateText(signature.signedAt)}</span>}
        {signature.fault && <span className="text-plum">: {signatureFaultText(signature.fault)}</span>}
      </p>
      <ul className="text-[0.88rem] text-quiet">
        {signature.chain.map((certificate, depth) => (
          <li key={certificate.sha256} style={{ paddingLeft: `${depth * 0.9}rem` }}>
            {depth > 0 && "by "}
            {visible(certificate.name, 100)}, {dateText(certificate.notBefore)} to {dateText(certificate.notAfter)}
            {certificate.notAfter < today && <span title="Firmware ignores dates"> (expired; still starts)</span>}
            <span className="caption">
              {" "}
              {certificate.key}, {certificate.algorithm}
            </span>
          </li>
        ))}
        {last && (
          <li style={{ paddingLeft: `${signature.chain.length * 0.9}rem` }}>
            {last.issuerName === last.subjectName ? (
              <span className="caption">by itself</span>
            ) : (
              <>
                by {visible(last.issuer, 100)} <span className="caption">(not included)</span>
              </>
            )}
          </li>
        )}
      </ul>
    </div>
  );
}

function BuiltIn({ lists }: { lists: NonNullable<Program["builtIn"]> }) {
  const revoked = lists.revoked.length + lists.revokedDigests.length;
  return (
    <p className="text-[0.9rem]">
      A first stage: it starts a next one that is signed with{" "}
      <strong>
        {lists.allowed.map((each) => visible(each.name, 100)).join(" or ") || "no certificate of its own"}
      </strong>
      {revoked > 0 && ` and is not among ${revoked} that it refuses`}.
    </p>
  );
}
