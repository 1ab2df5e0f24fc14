/** The spaces along the top edge, in the order of the work, with the letter behind G. */
export const tabs = [
  { path: '/estate', label: 'Estate', key: 'e' },
  { path: '/hosts', label: 'Hosts', key: 'h' },
  { path: '/addresses', label: 'Addresses', key: 'a' },
  { path: '/images', label: 'Images', key: 'i' },
  { path: '/clusters', label: 'Clusters', key: 'c' },
  { path: '/builds', label: 'Builds', key: 'b' },
  { path: '/rehearse', label: 'Rehearse', key: 'w' },
] as const;
export const secondaryTabs = [
  { path: '/keyring', label: 'Keyring', key: 'k' },
  { path: '/proving', label: 'Proving ground', key: 'p' },
  { path: '/record', label: 'People and record', key: 'r' },
  { path: '/checks', label: 'Checks', key: 'x' },
] as const;
