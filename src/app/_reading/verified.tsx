import type { Verification } from "@/core/medium/integrity/verify";
import { fileDifferenceText, verificationText } from "@/core/words/integrity";
import { bytesText } from "@/core/words/sizes";

const SHOWN = 30;

/** Whether a medium holds what it should. */
export function isAsItShouldBe({ result }: Verification): boolean {
  return result === "same" || result === "same-files";
}

/** What a comparison with a manifest came to, with the files that differ. */
export function Verified({ verification }: { verification: Verification }) {
  const isRight = isAsItShouldBe(verification);
  const { differing, more } = verification.files;
  return (
    <div role="status" className="mt-2">
      <p className={isRight ? "font-semibold text-sea" : "font-semibold text-plum"}>{verificationText(verification)}</p>
      <ul className="mt-1">
        {differing.slice(0, SHOWN).map((each) => (
          <li key={`${each.volume} ${each.path}`}>{fileDifferenceText(each)}</li>
        ))}
        {differing.length + more > SHOWN && <li>and {differing.length + more - SHOWN} more</li>}
        {verification.outsideFiles.slice(0, 5).map((range) => (
          <li key={range.start} className="text-quiet">
            outside all files: {bytesText(range.lengthBytes)} from byte {range.start.toLocaleString("en-GB")} on
          </li>
        ))}
      </ul>
    </div>
  );
}
