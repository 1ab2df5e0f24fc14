import type { Fields } from './field.ts';
import { askFields } from './question.ts';

const version: Fields = {
  note: { label: 'What it changes', help: 'Against the version before, in a line.' },
  questions: { label: 'Questions', help: 'Each cluster answers these; everything else follows or is fixed.' },
  ...askFields('questions.*'),
  'questions.*.sets': { label: 'Fills', help: 'Fields of the charter.', example: 'pods.range', mono: true },
  'questions.*.follows': { label: 'Follows', help: 'What stands for an answer that is not given.', rare: true },
  'questions.*.follows.rule': {
    label: 'From',
    choices: {
      'same-as': 'another answer',
      site: 'the site it is begun at',
      'cluster-name': 'the name of the site',
      'free-prefix': 'the first free prefix of a block',
      'machine-network': 'the machine network of the site',
      mirror: 'the registry of the site',
      'newest-release': 'the newest release',
      'hosts-there': 'the number of hosts at the site',
      'control-plane': 'the largest odd number of hosts, up to three',
      'workers-left': 'the hosts that the control plane leaves',
    },
  },
  'questions.*.follows.from': { label: 'Question', help: 'Whose answer it has too.', mono: true, rare: true },
  'questions.*.follows.within': { label: 'Block', example: '10.144.0.0/12', mono: true, rare: true },
  'questions.*.follows.length': { label: 'Length', example: '18', rare: true },
  charter: { label: 'Fixed', help: 'Fields of the charter that are the same in each cluster of it.', by: 'text' },
};

export const templateFields: Fields = {
  name: { label: 'Template', example: 'ship-edge', mono: true },
  title: { label: 'Title' },
  version: { label: 'Version', help: 'Goes up by itself when questions or fixed fields change.' },
  ...version,
  earlier: { label: 'Earlier versions', by: 'acts', help: 'Kept for the clusters that came from them.' },
};
