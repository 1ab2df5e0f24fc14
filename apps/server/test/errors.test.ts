import { describe, expect, it } from 'vitest';
import { emptyEstate } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { duplicateText, toRefusal, referenceText } from '../src/db/errors.ts';
import { needIn } from '../src/estate/documents.ts';
import { Refusal } from '../src/refusal.ts';

/** What PostgreSQL says of a row that it does not take, in the words of the trade. */
describe('a refusal of the database', () => {
  it('names what does not exist, and what is still used', () => {
    expect(referenceText('Key (site)=(nope) is not present in table "site".')).toBe('There is no site nope.');
    expect(referenceText('Key (key)=(lr) is still referenced from table "network".')).toBe('lr is still used by a network.');
    expect(referenceText('Schlüssel fehlt')).toBe('It names something that does not exist, or something still uses it.');
    expect(referenceText()).not.toContain('undefined');
  });
  it('names what is there already', () => {
    expect(duplicateText('Key (bmc_address)=(10.62.7.12) already exists.')).toBe(
      'There is one with bmc address 10.62.7.12 already.',
    );
    expect(duplicateText()).toBe('There is one like it already.');
  });
  it.each([
    [{ code: '23503', detail: 'Key (site)=(nope) is not present in table "site".' }, 422, 'There is no site nope.'],
    [{ code: '23505', detail: 'Key (key)=(x) already exists.' }, 409, 'There is one with key x already.'],
    [{ code: 'ECONNREFUSED' }, 503, 'The database does not answer. Whether a change that was under way is saved is not known.'],
    [new ProtocolError('silent', '10.62.8.53:53', 'it does not answer'), 502, '10.62.8.53:53: it does not answer.'],
  ])('%o is said with what to do', (fault, status, message) => {
    const said = toRefusal(fault);
    expect(said).toBeInstanceOf(Refusal);
    expect([(said as Refusal).status, (said as Refusal).message]).toEqual([status, message]);
    if (!(fault instanceof Error)) expect((said as Refusal).more.remedy).toMatch(/\.$/);
  });
  it('shows nothing of the database itself', () => {
    const said = toRefusal({
      code: '23503',
      constraint: 'network_site_fkey',
      detail: 'Key (site)=(nope) is not present in table "site".',
    });
    expect(JSON.stringify(said)).not.toMatch(/fkey|Key \(/);
  });
});

it('a name that is not there suggests the one that is meant', () => {
  const estate = {
    ...emptyEstate('2026-11-23T08:00:00Z'),
    sites: [
      { kind: 'Site', name: 'lr' },
      { kind: 'Site', name: 'breakwater' },
    ] as never,
  };
  const refused = (key: string) => {
    try {
      needIn(estate, 'Site', key);
    } catch (e) {
      return [(e as Refusal).message, (e as Refusal).more.remedy];
    }
    return [];
  };
  expect(refused('breakwter')).toEqual(['There is no site breakwter.', 'Did you mean breakwater?']);
  expect(refused('somewhere')).toEqual(['There is no site somewhere.', undefined]);
});
