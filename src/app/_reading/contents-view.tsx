import type { Inspection } from "@/core/medium/inspection/schema";
import { wimFaultText } from "@/core/words/archives";
import { systemText, unreadWhyText } from "@/core/words/contents";
import { environmentText, startedText } from "@/core/words/environment";
import { bytesText } from "@/core/words/sizes";
import { visible } from "@/core/words/visible";
import { Size } from "@/ui/size";
import { dateText, plural } from "@/ui/words";

/** What a medium installs, runs and drives, as read from its trees. */
export function ContentsView({ inspection }: { inspection: Inspection }) {
  const { contents } = inspection;
  const systems = contents.systems ?? [];
  const wims = contents.wims ?? [];
  const nothing =
    systems.length + wims.length + contents.kernels.length + contents.live.length === 0 && contents.info === null;
  return (
    <div className="space-y-5">
      <section>
        <h2>Systems</h2>
        {contents.info && <p className="code">{visible(contents.info, 300)}</p>}
        {systems.length === 0 && (
          <p className="text-quiet">{nothing ? "No system recognised in its files." : "No installable system."}</p>
        )}
        <ul>
          {systems.map((system) => (
            <li key={JSON.stringify(system)} className="border-line border-b py-1">
              {systemText(system)}
              {system.from && <span className="caption"> {visible(system.from, 120)}</span>}
            </li>
          ))}
        </ul>
      </section>
      {wims.map((wim) => (
        <section key={`${wim.volume} ${wim.path}`}>
          <h2 className="code">{visible(wim.path, 120)}</h2>
          <p className="text-quiet">
            {wim.solid ? "Solid archive" : "Archive"} of {plural(wim.images.length, "image")},{" "}
            {bytesText(wim.fileBytes)},
            {wim.compression === "none" ? " not compressed" : ` compressed with ${wim.compression.toUpperCase()}`}
            {wim.parts > 1 && `, part ${wim.part} of ${wim.parts}`}
            {wim.hasIntegrityTable ? ", with an integrity table" : ", without an integrity table"}
          </p>
          {wim.faults.map((fault) => (
            <p key={wimFaultText(fault)} className="text-plum">
              {visible(wimFaultText(fault), 400)}
            </p>
          ))}
          <table className="mt-1 w-full text-[0.9rem]">
            <caption className="sr-only">Images of {visible(wim.path, 120)}</caption>
            <thead>
              <tr className="caption border-line border-b text-left">
                <th className="font-normal">No.</th>
                <th className="font-normal">Image</th>
                <th className="font-normal">Version</th>
                <th className="font-normal">Edition</th>
                <th className="font-normal">Languages</th>
                <th className="text-right font-normal">Unpacked</th>
              </tr>
            </thead>
            <tbody>
              {wim.images.map((image) => (
                <tr key={image.index} className="border-line border-b align-top">
                  <td className="py-0.5 pr-3">{image.index}</td>
                  <td className="pr-3">
                    {visible(image.name, 100)}
                    {image.startable && <span className="caption"> starts</span>}
                  </td>
                  <td className="code pr-3">{image.version ?? <span className="text-quiet">not recorded</span>}</td>
                  <td className="pr-3">{image.edition && visible(image.edition, 60)}</td>
                  <td className="pr-3">{image.languages.map((each) => visible(each, 20)).join(", ")}</td>
                  <td className="text-right">
                    <Size bytes={image.bytes} />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      ))}
      {contents.environments.map((environment) => (
        <section key={`${environment.volume} ${environment.path}`}>
          <h2>
            Environment in <span className="code">{visible(environment.path, 120)}</span>
          </h2>
          <p>{visible(environmentText(environment), 300)}.</p>
          {environment.starts.length > 0 && (
            <p>
              Starts automatically:{" "}
              <span className="code">
                {environment.starts.map((each) => visible(startedText(each), 160)).join(", ")}
              </span>
            </p>
          )}
          {environment.components.length > 0 && (
            <p className="text-quiet">
              Components: {environment.components.map((each) => visible(each, 60)).join(", ")}
            </p>
          )}
        </section>
      ))}
      {contents.kernels.length + contents.live.length > 0 && (
        <section>
          <h2>Live system</h2>
          <ul>
            {contents.kernels.map((kernel) => (
              <li key={`${kernel.volume} ${kernel.path}`} className="border-line border-b py-1">
                Kernel <strong>{visible(kernel.release, 80)}</strong>{" "}
                <span className="caption code">{visible(kernel.path, 120)}</span>
              </li>
            ))}
            {contents.live.map((live) => (
              <li key={`${live.volume} ${live.path}`} className="border-line border-b py-1">
                Compressed file system <span className="code">{visible(live.path, 120)}</span>, {bytesText(live.bytes)}
                {live.made && `, made ${dateText(live.made)}`}
              </li>
            ))}
          </ul>
        </section>
      )}
      <section>
        <h2>Drivers</h2>
        {contents.drivers ? (
          <p>
            {contents.drivers.modules > 0 && `${plural(contents.drivers.modules, "kernel module")} that claim devices`}
            {contents.drivers.kernel && `, of kernel ${visible(contents.drivers.kernel, 80)}`}
            {contents.drivers.modules > 0 && contents.drivers.infs > 0 && "; "}
            {contents.drivers.infs > 0 && plural(contents.drivers.infs, ".inf file")}.{" "}
            <span className="text-quiet">
              {contents.drivers.entries.toLocaleString("en-GB")} device patterns in all.
            </span>
          </p>
        ) : (
          <p className="text-quiet">No driver list found{contents.unread.length > 0 ? " so far" : ""}.</p>
        )}
        {contents.unread.length > 0 && (
          <ul className="mt-1 text-[0.9rem] text-quiet">
            {contents.unread.slice(0, 12).map((each) => (
              <li key={`${each.volume} ${each.path}`}>
                Not read: <span className="code">{visible(each.path, 120)}</span>, {bytesText(each.bytes)},{" "}
                {unreadWhyText(each.why)}
              </li>
            ))}
            {contents.unread.length > 12 && <li>and {contents.unread.length - 12} more</li>}
          </ul>
        )}
      </section>
    </div>
  );
}
