import type { Fields } from './field.ts';

/** A question, wherever it stands. */
export const askFields = (at: string): Fields => ({
  [`${at}.key`]: { label: 'Key', example: 'retention', mono: true },
  [`${at}.ask`]: { label: 'Question', example: 'How many days are logs kept?' },
  [`${at}.type`]: {
    label: 'Answer',
    choices: {
      text: 'text',
      number: 'number',
      'yes-no': 'yes or no',
      choice: 'one of several',
      address: 'address',
      prefix: 'prefix',
      range: 'range of addresses',
      site: 'site',
      network: 'network',
      registry: 'registry',
      hosts: 'number of hosts',
      secret: 'entry of the keyring',
    },
  },
  [`${at}.help`]: { label: 'Help', rare: true },
  [`${at}.choices`]: { label: 'Choices', help: 'One a line.', lines: true, rare: true },
  [`${at}.atLeast`]: { label: 'At least', rare: true },
  [`${at}.atMost`]: { label: 'At most', rare: true },
  [`${at}.default`]: { label: 'Default', rare: true },
});
