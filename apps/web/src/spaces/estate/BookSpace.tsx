import { download } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useAct } from '../../state/act.ts';
import { useScope } from '../../state/scope.ts';
import { SubNav } from './SubNav.tsx';

/** What somebody takes along who goes to a site without a network: as a page to print, and as PDF. */
export function BookSpace() {
  const { site, setSite } = useScope();
  const snapshot = useSnapshot().data;
  const sites = snapshot?.estate.sites ?? [];
  const at = sites.find((s) => s.name === site) ?? (site ? undefined : sites[0]);
  const path = at && `/api/sites/${at.name}/files/book`;
  const pdf = useAct(
    async (name: string) => {
      await download(`/api/sites/${name}/files/book.pdf`, `${name}-site-book.pdf`);
      return {};
    },
    () => undefined,
  );
  return (
    <Space
      space="book"
      title="Site book"
      facts={at ? `${at.title} · for whoever stands there without a network` : ''}
      findings={[]}
      sheets={<SubNav site={site} />}
      acts={
        <>
          <Button disabled={!at || pdf.isPending} onClick={() => at && pdf.mutate(at.name)}>
            {pdf.isPending ? 'Making the PDF…' : 'Save as PDF'}
          </Button>
          <Button filled disabled={!at} onClick={() => window.open(`${path}.html`, '_blank', 'noopener')}>
            Open to print
          </Button>
        </>
      }
    >
      <Refused error={pdf.error} />
      {!sites.length ? (
        <Empty title="No site is declared yet">
          Of each site a book is made for whoever stands there: racks, cabling, addresses, clusters, the next steps, and whom to
          call.
        </Empty>
      ) : (
        <label className="flex items-baseline gap-2 py-2.5">
          <span className="text-ink-2">Of</span>
          <select
            className="border border-rule-2 bg-leaf px-2 py-1"
            value={at?.name ?? ''}
            onChange={(e) => setSite(e.target.value)}
          >
            {sites.map((s) => (
              <option key={s.name} value={s.name}>
                {s.title}
              </option>
            ))}
          </select>
          <span className="text-ink-2">
            Racks, cabling, addresses, names, hosts, registries, clusters, the next steps with room for initials, and whom to
            call.
          </span>
        </label>
      )}
      {path && (
        <iframe
          key={path}
          title={`Site book of ${at.title}`}
          src={`${path}.html`}
          sandbox=""
          className="min-h-[420px] w-full flex-1 border border-rule-2 bg-white"
        />
      )}
    </Space>
  );
}
