import { serverList } from '../address/parse.ts';
import type { Network, Site } from '../model/documents.ts';

/** The resolvers of a network: its own where it has some, else its site's; each once, in the order they were given. */
export const resolversOf = (site: Site | undefined, network?: Network): string[] =>
  serverList(network?.resolvers ?? site?.resolvers ?? []).servers;

/** The time servers of a network, as its resolvers. */
export const timeServersOf = (site: Site | undefined, network?: Network): string[] =>
  serverList(network?.ntp ?? site?.ntp ?? []).servers;
