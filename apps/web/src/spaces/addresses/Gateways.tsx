import { gatewayFiles, takenOverAfter } from '@praesidor/core/files';
import type { Gateway } from '@praesidor/core/model';
import { useState } from 'react';
import { Link } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import { Copy } from '../../parts/Copy.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { At } from '../../parts/FindingMarker.tsx';
import { GatewaySetup } from './GatewaySetup.tsx';
import { scoped } from '../../state/scope.ts';

/** Gateways of the site: who leads at which address, where each member stands, and what it knows. */
export function Gateways({ gateways, at }: { gateways: Gateway[]; at: string | null }) {
  const [files, setFiles] = useState<Gateway>();
  const [setting, setSetting] = useState<Gateway>();
  if (!gateways.length) return null;
  return (
    <section aria-label="Gateways" className="pt-5">
      <h2 className="pb-1 text-lg">Gateways</h2>
      <table className="grid-table" aria-label="Gateways">
        <thead>
          <tr>
            <th>Gateway</th>
            <th>Member</th>
            <th>Leads at</th>
            <th>Stands in</th>
            <th>Own routes</th>
            <th>Taken over after</th>
            <th>
              <span className="sr-only">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {gateways.flatMap((g) =>
            g.members.map((m, i) => {
              const first = [...g.members].sort((x, y) => y.priority - x.priority)[0];
              const leads = g.addresses.filter((a) => (a.leads ?? first?.name) === m.name);
              return (
                <tr key={`${g.name} ${m.name}`} data-row tabIndex={-1} className={at === g.name ? 'bg-leaf' : ''}>
                  <td className="font-semibold">
                    {i === 0 && (
                      <>
                        {g.name}
                        <At kind="Gateway" name={g.name} path="" />
                        {g.title && <span className="block font-normal text-ink-2 text-sm">{g.title}</span>}
                      </>
                    )}
                  </td>
                  <td>
                    {m.name}
                    <At kind="Gateway" name={g.name} path={`members.${i}`} />
                  </td>
                  <td className="mono">{leads.map((a) => a.address).join(', ') || <span className="text-ink-3">—</span>}</td>
                  <td className="text-sm">
                    {m.interfaces.map((f) => (
                      <span key={f.network} className="mr-3 inline-block whitespace-nowrap">
                        {f.network} <span className="mono text-[11.5px]! text-ink-2">{f.address}</span>
                      </span>
                    ))}
                  </td>
                  <td>{g.routes.length + m.routes.length || <span className="text-ink-3">none</span>}</td>
                  <td>
                    {g.members.length > 1 && g.addresses.length ? (
                      `${takenOverAfter(g, m).toFixed(1)} s`
                    ) : (
                      <span className="text-ink-3">by nobody</span>
                    )}
                  </td>
                  <td className="whitespace-nowrap text-right">
                    {i === 0 && (
                      <>
                        <button type="button" className="text-verdigris hover:underline" onClick={() => setFiles(g)}>
                          Files
                        </button>
                        <button type="button" className="ml-3 text-verdigris hover:underline" onClick={() => setSetting(g)}>
                          Set up…
                        </button>
                        <Link
                          className="ml-3 text-verdigris hover:underline"
                          to={scoped(`/declare?edit=${encodeURIComponent(`Gateway ${g.name}`)}`, g.site)}
                        >
                          Change
                        </Link>
                      </>
                    )}
                  </td>
                </tr>
              );
            }),
          )}
        </tbody>
      </table>
      {setting && <GatewaySetup gateway={setting} onClose={() => setSetting(undefined)} />}
      {files && <GatewayFiles gateway={files} onClose={() => setFiles(undefined)} />}
    </section>
  );
}

/** What the members of a gateway are set up with, to be read and copied. */
function GatewayFiles({ gateway, onClose }: { gateway: Gateway; onClose: () => void }) {
  const estate = useSnapshot().data?.estate;
  const files = estate ? gatewayFiles(estate, gateway) : [];
  const [at, setAt] = useState(0);
  const file = files[at];
  return (
    <Dialog open title={`Files of ${gateway.name}`} onClose={onClose} wide>
      <div className="flex gap-4">
        <ul className="w-[250px] flex-none text-sm">
          {files.map((f, i) => (
            <li key={`${f.member} ${f.path}`}>
              <button
                type="button"
                aria-pressed={i === at}
                className={`w-full py-0.5 text-left ${i === at ? 'font-semibold' : 'text-ink-2'}`}
                onClick={() => setAt(i)}
              >
                {f.member} <span className="mono text-[11.5px]!">{f.path}</span>
              </button>
            </li>
          ))}
        </ul>
        {file && (
          <div className="min-w-0 flex-1">
            <div className="text-right">
              <Copy text={file.text} className="font-semibold text-verdigris">
                Copy
              </Copy>
            </div>
            <pre className="mono max-h-[420px] overflow-auto whitespace-pre border border-rule-2 bg-leaf p-2 text-sm">
              {file.text}
            </pre>
          </div>
        )}
      </div>
    </Dialog>
  );
}
