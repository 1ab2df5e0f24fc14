import { clock, clockSeconds, date, day, utc, when } from './time.ts';

const texts = {
  /** 02:30 today, 6 Dec 02:30 otherwise. */
  when,
  clock,
  clockSeconds,
  day,
  date,
  /** 6 Dec 02:30. */
  both: (at: string | number) => `${day(at)} ${clock(at)}`,
  /** 6 Dec 02:30:41. */
  exact: (at: string | number) => `${day(at)} ${clockSeconds(at)}`,
};

/** A moment in the zone of the site, with UTC on hover. */
export function When({ at, as = 'when' }: { at: string | number; as?: keyof typeof texts }) {
  return (
    <time dateTime={new Date(at).toISOString()} title={utc(at)}>
      {texts[as](at)}
    </time>
  );
}
