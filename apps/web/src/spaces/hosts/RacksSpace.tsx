import { counted } from '@praesidor/core/words';
import { DndContext, type DragEndEvent, PointerSensor, useDraggable, useDroppable, useSensor, useSensors } from '@dnd-kit/core';
import { hindered, type Racked, rackSvg, rackView, thingsOf, zoneOf } from '@praesidor/core/hosts';
import type { Edit, Estate, Site } from '@praesidor/core/model';
import { lazy, Suspense, useMemo, useState } from 'react';
import { useNavigate } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import { MarginPart } from '../../frame/Margin.tsx';
import { Space } from '../../frame/Space.tsx';
import { Button, LinkButton } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { hostMark, Mark } from '../../parts/Mark.tsx';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { SubNav } from './SubNav.tsx';

const EditsDialog = lazy(() => import('../../frame/EditsDialog.tsx'));

type Thing = Racked & { kind: 'Host' | 'Hypervisor'; site: string };
const unitPx = 15;

const thingsAt = (estate: Estate, site: string): Thing[] =>
  thingsOf(
    estate.hosts.filter((h) => h.site === site),
    estate.hypervisors.filter((h) => h.site === site),
  );

/** Racks of a site, front and rear. Things are dragged to another unit, or moved there with the arrow keys. */
export function RacksSpace() {
  const { site, inScope, params } = useScope();
  const estate = useSnapshot().data?.estate;
  const report = useReport();
  const withRacks = estate?.sites.filter((s) => s.racks.length) ?? [];
  const at = withRacks.find((s) => s.name === site) ?? (site ? undefined : withRacks[0]);
  const findings = (report.data?.findings ?? []).filter(
    (f) => inScope(f.site) && ['HST-005', 'HST-006', 'HST-008'].includes(f.code),
  );
  const [side, setSide] = useState<'front' | 'rear'>('front');
  const things = useMemo(() => (estate && at ? thingsAt(estate, at.name) : []), [estate, at]);
  const views = at?.racks.map((r) => rackView(at, r.name, things, side)) ?? [];
  const download = () => {
    if (!at) return;
    const both = at.racks.flatMap((r) =>
      (['front', 'rear'] as const).map((s) => ({ side: s, view: rackView(at, r.name, things, s) })),
    );
    const url = URL.createObjectURL(new Blob([rackSvg(`${at.title}, racks`, both)], { type: 'image/svg+xml' }));
    const a = document.createElement('a');
    a.href = url;
    a.download = `${at.name}-racks.svg`;
    a.click();
    URL.revokeObjectURL(url);
  };
  return (
    <Space
      space="racks"
      sheets={<SubNav site={site} />}
      title="Racks"
      facts={at ? `${at.title} · ${counted(at.racks.length, 'rack')}, ${things.filter((t) => t.rack).length} things in them` : ''}
      findings={findings}
      acts={
        at && (
          <>
            <Button data-key="r" onClick={() => setSide(side === 'front' ? 'rear' : 'front')}>
              {side === 'front' ? 'Turn to the rear' : 'Turn to the front'}
            </Button>
            <Button onClick={download}>Save as SVG</Button>
            <Button onClick={() => window.print()}>Print</Button>
          </>
        )
      }
      extra={
        <MarginPart title="Power">
          {views.map((v) => (
            <div key={v.rack} className="pb-1.5">
              {v.rack} draws {(v.drawsW / 1000).toFixed(1)} kW{v.limitW ? ` of ${(v.limitW / 1000).toFixed(1)} kW` : ''}
              {v.withoutReading ? <span className="text-ink-2">, {v.withoutReading} without reading</span> : ''}
              {v.limitW ? (
                <div className="mt-0.5 h-1.5 bg-rule-2/50">
                  <div
                    className={`h-full ${v.drawsW > v.limitW ? 'bg-brick' : 'bg-verdigris'}`}
                    style={{ width: `${Math.min(100, (v.drawsW / v.limitW) * 100)}%` }}
                  />
                </div>
              ) : null}
            </div>
          ))}
        </MarginPart>
      }
    >
      {at && estate ? (
        <Racks key={at.name} site={at} estate={estate} things={things} side={side} only={params.get('rack') ?? undefined} />
      ) : (
        <Empty
          title="No racks are declared here"
          act={<LinkButton to={scoped('/declare?kind=Site', site)}>Declare them</LinkButton>}
        >
          Racks, their units, what they may draw, and which zone each belongs to stand in the site's own document.
        </Empty>
      )}
    </Space>
  );
}

function Racks({
  site,
  estate,
  things,
  side,
  only,
}: {
  site: Site;
  estate: Estate;
  things: Thing[];
  side: 'front' | 'rear';
  only: string | undefined;
}) {
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 5 } }));
  const [move, setMove] = useState<{ thing: Thing; rack: string; unit: number }>();
  const [said, setSaid] = useState('');
  const propose = (thing: Thing, rack: string, unit: number) => {
    if (thing.rack === rack && thing.unit === unit) return;
    const why = hindered(site, things, thing, rack, unit);
    setSaid(why ? `${thing.name} cannot stand in ${rack} at unit ${unit}: ${why}.` : '');
    if (!why) setMove({ thing, rack, unit });
  };
  const onDragEnd = (e: DragEndEvent) => {
    const thing = things.find((t) => t.name === e.active.id);
    const [rack, unit] = String(e.over?.id ?? '').split(' u');
    if (thing && rack && unit) propose(thing, rack, Number(unit));
  };
  const loose = things.filter((t) => !t.rack || !t.unit);
  const racks = site.racks.filter((r) => !only || r.name === only);
  return (
    <DndContext sensors={sensors} onDragEnd={onDragEnd}>
      <p className="pb-2 text-ink-2 print:hidden">
        Drag a thing to another unit, or focus it and press <kbd className="mono">↑</kbd> <kbd className="mono">↓</kbd> (
        <kbd className="mono">←</kbd> <kbd className="mono">→</kbd> for the next rack); <kbd className="mono">Enter</kbd> opens
        it.
      </p>
      {said && (
        <p role="alert" className="mb-2 border-brick border-l-[3px] bg-brick-tint px-3 py-1.5 text-brick">
          {said}
        </p>
      )}
      <div className="flex flex-wrap gap-10">
        {racks.map((r) => (
          <Elevation key={r.name} site={site} rack={r.name} things={things} side={side} onMove={propose} />
        ))}
        {loose.length > 0 && (
          <div className="w-52">
            <h2 className="pb-1 text-md">Not placed</h2>
            {loose.slice(0, 40).map((t) => (
              <Dragged key={t.name} thing={t} site={site} onMove={propose} className="my-1 h-[22px] px-2" />
            ))}
          </div>
        )}
      </div>
      {move && (
        <Suspense>
          <EditsDialog
            title={`Move ${move.thing.name} to ${move.rack} u${move.unit}`}
            about={move.thing.rack ? `It stands in ${move.thing.rack} u${move.thing.unit}.` : 'It has no place yet.'}
            why={`moved ${move.thing.name} to ${move.rack} u${move.unit}`}
            edits={editsOf(move, site, estate)}
            onClose={() => setMove(undefined)}
          />
        </Suspense>
      )}
    </DndContext>
  );
}

/** A new place changes the zone with it, where the zone followed from the place. */
function editsOf({ thing, rack, unit }: { thing: Thing; rack: string; unit: number }, site: Site, _: Estate): Edit[] {
  const at = { op: 'set' as const, kind: thing.kind, key: thing.name };
  const was = zoneOf(site, thing.rack, thing.unit);
  const will = zoneOf(site, rack, unit);
  return [
    ...(thing.rack === rack ? [] : [{ ...at, path: ['rack'], value: rack }]),
    { ...at, path: ['unit'], value: unit },
    ...(will !== thing.zone && (thing.zone === undefined || thing.zone === was) ? [{ ...at, path: ['zone'], value: will }] : []),
  ];
}

function Elevation({
  site,
  rack,
  things,
  side,
  onMove,
}: {
  site: Site;
  rack: string;
  things: Thing[];
  side: 'front' | 'rear';
  onMove: (t: Thing, rack: string, unit: number) => void;
}) {
  const view = rackView(site, rack, things, side);
  const zones = site.zones.filter((z) => z.rack === rack);
  return (
    <section aria-label={`rack ${rack}, ${side}`}>
      <h2 className="text-md">
        rack {rack}, {side}
      </h2>
      <div className="pb-1 text-ink-2 text-sm">
        {view.limitW
          ? `${(view.drawsW / 1000).toFixed(1)} of ${(view.limitW / 1000).toFixed(1)} kW`
          : `${(view.drawsW / 1000).toFixed(1)} kW`}
        {zones.length ? ` · zones ${zones.map((z) => z.name).join(', ')}` : ''}
      </div>
      <div className="relative ml-6 w-[236px] border-rule-2 border-x-[3px]" style={{ height: view.units * unitPx }}>
        {Array.from({ length: view.units }, (_, i) => view.units - i).map((u) => (
          <Unit key={u} rack={rack} unit={u} top={(view.units - u) * unitPx} />
        ))}
        {zones.map((z) => (
          <span
            key={z.name}
            className="mono absolute -right-7 border-rule-2 border-r pr-1 text-[11px]! text-ink-3"
            style={{
              top: (view.units - (z.to ?? view.units)) * unitPx,
              height: ((z.to ?? view.units) - (z.from ?? 1) + 1) * unitPx,
            }}
          >
            {z.name}
          </span>
        ))}
        {view.slots.map((s) => {
          const thing = things.find((t) => t.name === s.name) as Thing;
          return (
            <Dragged
              key={s.name}
              thing={thing}
              site={site}
              onMove={onMove}
              back={!s.face}
              claimed={s.claimed}
              className="absolute right-0.5 left-0.5 px-2"
              style={{ top: (view.units - s.unit - s.height + 1) * unitPx + 1, height: s.height * unitPx - 2 }}
            />
          );
        })}
      </div>
      {view.outside.length > 0 && <div className="pt-1 text-brick">outside the rack: {view.outside.join(', ')}</div>}
    </section>
  );
}

function Unit({ rack, unit, top }: { rack: string; unit: number; top: number }) {
  const { setNodeRef, isOver } = useDroppable({ id: `${rack} u${unit}` });
  return (
    <div
      ref={setNodeRef}
      className={`absolute right-0 left-0 border-rule border-b border-dotted ${isOver ? 'bg-verdigris-tint' : ''}`}
      style={{ top, height: unitPx }}
    >
      <span className="mono absolute -left-7 text-[10px]! text-ink-3">{unit}</span>
    </div>
  );
}

function Dragged({
  thing,
  site,
  onMove,
  back,
  claimed,
  className,
  style,
}: {
  thing: Thing;
  site: Site;
  onMove: (t: Thing, rack: string, unit: number) => void;
  back?: boolean;
  claimed?: boolean;
  className: string;
  style?: React.CSSProperties;
}) {
  const navigate = useNavigate();
  const { setNodeRef, listeners, transform, isDragging } = useDraggable({ id: thing.name });
  const racks = site.racks.map((r) => r.name);
  const open = () =>
    void navigate(
      scoped(thing.kind === 'Host' ? `/hosts/${thing.name}` : `/hosts/hypervisors?hypervisor=${thing.name}`, site.name),
    );
  return (
    <div
      ref={setNodeRef}
      {...listeners}
      role="button"
      data-row
      data-edit={`${thing.kind} ${thing.name}`}
      tabIndex={0}
      aria-label={`${thing.name}${thing.rack ? `, ${thing.rack} unit ${thing.unit}` : ', no place'}`}
      onDoubleClick={open}
      onKeyDown={(e) => {
        const here = racks.indexOf(thing.rack ?? '');
        const step = { ArrowUp: 1, ArrowDown: -1 }[e.key];
        const aside = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
        if (e.key === 'Enter') open();
        else if (step && thing.rack) onMove(thing, thing.rack, (thing.unit ?? 1) + step);
        else if (aside && racks[here + aside]) onMove(thing, racks[here + aside] as string, thing.unit ?? 1);
        else return;
        e.preventDefault();
      }}
      className={`flex cursor-grab items-center gap-1.5 border bg-leaf text-[11px] leading-none ${claimed ? 'hatch border-brick' : thing.kind === 'Hypervisor' ? 'border-plum' : 'border-rule-2'} ${back ? 'border-dashed opacity-80' : ''} ${isDragging ? 'z-20 shadow-[0_0_0_2px_var(--verdigris)]' : ''} ${className}`}
      style={{ ...style, ...(transform ? { transform: `translate(${transform.x}px, ${transform.y}px)` } : {}) }}
    >
      <span className="flex h-2.5 w-2 items-center [&>svg]:h-2.5">
        <Mark kind={thing.kind === 'Hypervisor' ? 'virtual' : hostMark(thing.state ?? '')} />
      </span>
      <span className="mono truncate text-[11px]! font-semibold">{thing.name}</span>
      <span className="ml-auto text-ink-3">{back ? 'back' : thing.drawsW === undefined ? '' : `${thing.drawsW} W`}</span>
    </div>
  );
}
