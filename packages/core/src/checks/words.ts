import { catalogue } from './catalogue.ts';

/** What somebody reads about a check beside what it is about: why it matters, and what mends it. A test holds the list to the catalogue. */
export const checkWords: Readonly<Record<string, { why: string; mend: string }>> = {
  'ACC-001': {
    why: 'Teams have sites so that what one of them does stays where it is theirs.',
    mend: 'Build it at one of its sites, give it to another team, or let the team have clusters there.',
  },
  'ACC-002': {
    why: 'Moulds and templates are given to teams so that what they build is what was agreed.',
    mend: 'Choose one of those that the team has, or give it this one.',
  },
  'ACC-003': {
    why: 'What one team takes another lacks.',
    mend: 'Ask for less, take another cluster down, or have a warden raise the allowance.',
  },
  'ACC-004': {
    why: 'Whose cluster it is decides who may change it.',
    mend: 'Declare the team, or take it out of the charter.',
  },
  'ACC-005': {
    why: 'Who comes last cannot build, and learns of it late.',
    mend: 'Plan less, or raise the allowance.',
  },
  'ACC-006': {
    why: 'What a team is given is what it may use: a name of something that is not there gives nothing.',
    mend: 'Declare it, or take it out.',
  },
  'ADR-001': {
    why: 'A DHCP server leases addresses of the pool, and the cluster gives the same ones to services.',
    mend: 'Move the pool to a free range, or shorten the scope.',
  },
  'ADR-002': {
    why: 'A published service could be given the address of a machine that has it already.',
    mend: 'Choose a range in which nothing is reserved.',
  },
  'ADR-003': {
    why: 'The DHCP server can lease the address to another machine while its owner is off.',
    mend: 'Bind the reservation to the owner’s MAC, or move it outside the scope.',
  },
  'ADR-004': {
    why: 'Nothing routes to an address in a network that it does not lie in.',
    mend: 'Reserve an address of that network, or correct the network of the reservation.',
  },
  'ADR-005': {
    why: 'Hosts and services that come later find no address.',
    mend: 'Release what is not used, or declare a larger network.',
  },
  'ADR-006': {
    why: 'Every node, the API and the inbound router need an address before the kit can be written.',
    mend: 'Release addresses, widen the pool, or let the address follow instead of setting it.',
  },
  'ADR-007': {
    why: 'A DHCP server gives a machine one of its two addresses, and nobody knows which.',
    mend: 'Keep one of them bound to the MAC and take it off the others.',
  },
  'ADR-008': {
    why: 'The address and its records are given up on that day, also while somebody uses them.',
    mend: 'Prolong the reservation, or let it end.',
  },
  'ADR-009': {
    why: 'A virtual address moves between machines of one network; elsewhere nothing answers for it.',
    mend: 'Set an address of the machine network that nobody has, or let it follow.',
  },
  'ADR-010': {
    why: 'The host may still run as a node, and nobody else can be given the address.',
    mend: 'Wipe the host first; then release the address.',
  },
  'CHT-001': {
    why: 'etcd needs a majority: an even number breaks as soon as the odd number below it, and has one member more that can fail.',
    mend: 'Use one control-plane host more or fewer.',
  },
  'CHT-002': {
    why: 'Pods and services could not reach the machines whose addresses they have.',
    mend: 'Choose a range that no network uses.',
  },
  'CHT-003': {
    why: 'Where both clusters are routed, answers go to the wrong one.',
    mend: 'Renumber the newer of the two.',
  },
  'CHT-004': {
    why: 'A service could be given the address of a pod.',
    mend: 'Choose two ranges that share nothing.',
  },
  'CHT-005': {
    why: 'A role is given only to hosts that were measured good for it.',
    mend: 'List more hosts, lower the requirements, or ask for fewer hosts.',
  },
  'CHT-006': {
    why: 'Each node is given a block of the pod range; the last ones would get none.',
    mend: 'Widen the range, or make the blocks smaller.',
  },
  'CHT-007': {
    why: 'Larger packets are lost while small ones pass, which looks like a slow application.',
    mend: 'Let the MTU follow, or raise the MTU of the network.',
  },
  'CHT-008': {
    why: 'While that zone is away, the API answers nobody.',
    mend: 'Spread the control plane over three zones.',
  },
  'CHT-009': {
    why: 'What follows from it cannot be computed.',
    mend: 'Declare it, or name one that is declared.',
  },
  'CHT-010': {
    why: 'The images do not run on those machines.',
    mend: 'Choose another release, or the architecture that it is made for.',
  },
  'CHT-011': {
    why: 'Pods beyond the block wait for an address for ever.',
    mend: 'Make the blocks larger, or allow fewer pods a node.',
  },
  'CHT-012': {
    why: 'A disk that cannot be told from another could be erased in its place.',
    mend: 'Read the facts over the controller, or write the serials into the host.',
  },
  'CHT-013': {
    why: 'A machine that starts over the network asks for an address first, and goes no further without one.',
    mend: 'Declare a small DHCP scope, or start the hosts from virtual media.',
  },
  'CHT-014': {
    why: 'The component does not start with a range of that size.',
    mend: 'Set the largest range, or block, that it takes.',
  },
  'DNS-001': {
    why: 'Whoever asks the server gets the old value.',
    mend: 'Look at the update, and send it.',
  },
  'DNS-002': {
    why: 'Programs that look an address up find nothing, and some refuse or wait.',
    mend: 'Add the PTR record.',
  },
  'DNS-003': {
    why: 'A name with a CNAME may have no other data (RFC 1034 §3.6.2); servers refuse the zone or drop one of them.',
    mend: 'Remove the CNAME, or the other records.',
  },
  'DNS-004': {
    why: 'No server that is known here can serve the name.',
    mend: 'Declare its zone, or choose a name in a declared one.',
  },
  'DNS-005': {
    why: 'Whoever looks the address up gets the two names in any order.',
    mend: 'Keep one of the names.',
  },
  'DNS-006': {
    why: 'Published applications would not be found.',
    mend: 'Remove the record; the right one follows from the charter.',
  },
  'DNS-007': {
    why: 'Whether the server serves what is planned is not known.',
    mend: 'Look at the server, its address and the key; then read the zone again.',
  },
  'DNS-008': {
    why: 'Resolvers refuse such a record, or answer with nothing.',
    mend: 'Correct the record, or declare the name that it points at.',
  },
  'DNS-009': {
    why: 'The proof of a cluster asks for every name of a node forward and back.',
    mend: 'Declare the reverse zone, unless somebody else serves it.',
  },
  'HST-001': {
    why: 'The baseline is what the machines of a model were found good with.',
    mend: 'Plan the updates; they are written over the controller.',
  },
  'HST-002': {
    why: 'Containers and the system would share one disk, and fill it for each other.',
    mend: 'Build in a second disk, or leave the host out.',
  },
  'HST-003': {
    why: 'Somebody else may answer in place of the controller; nothing is sent to it.',
    mend: 'Compare the fingerprint with the machine itself; then pin the new one.',
  },
  'HST-004': {
    why: 'Both machines would be given one address.',
    mend: 'Correct the one that was entered wrongly, or merge the two entries.',
  },
  'HST-005': {
    why: 'Somebody will look for a machine where it is not.',
    mend: 'Set the rack and unit where it stands.',
  },
  'HST-006': {
    why: 'A sweep does not find it, and its credential may not be sent there.',
    mend: 'Correct the address, or declare the network that it is on.',
  },
  'HST-007': {
    why: 'It can be a machine that nobody has listed, or one that does not belong there.',
    mend: 'Compare its fingerprint and list it, or find out whose it is.',
  },
  'HST-008': {
    why: 'A feed that fails takes the other one with it.',
    mend: 'Move machines to another rack, or raise the limit where the feeds allow it.',
  },
  'HST-009': {
    why: 'The host may fail while it serves.',
    mend: 'Look at the host; replace what it names.',
  },
  'HST-010': {
    why: 'When that hypervisor fails, some of its guests cannot be started anywhere else.',
    mend: 'Add a hypervisor, or move and shrink guests.',
  },
  'HST-011': {
    why: 'Guests beyond what it has are not started, or are slow for all.',
    mend: 'Move guests to another hypervisor, or make them smaller.',
  },
  'HST-012': {
    why: 'What is computed from the declaration may not be what it can do.',
    mend: 'Correct the declaration, or the hypervisor.',
  },
  'HST-013': {
    why: 'Its drives still hold what it served.',
    mend: 'Wipe it; then it is free for another cluster.',
  },
  'HST-014': {
    why: 'The hypervisor would refuse it, or it would have no network.',
    mend: 'Correct the mould, the hypervisor or its bridges.',
  },
  'HST-016': {
    why: 'Without its controller a host cannot be started, erased or read.',
    mend: 'Correct its password in the keyring, or look at the controller itself; then read the host again.',
  },
  'HST-017': {
    why: 'Fitness is computed from what was read; a missing drive counts as none.',
    mend: 'Read the host again; where it stays so, update the firmware of its controller.',
  },
  'HST-015': {
    why: 'The kit would configure an adapter or a tag that is not there, and the host would have no network.',
    mend: 'Name adapters that the host has, and a network that has a VLAN.',
  },
  'IMG-001': {
    why: 'Nodes would wait on the pull, then fail.',
    mend: 'Plan a shipment of what is missing.',
  },
  'IMG-002': {
    why: 'From that day every pull fails, also when a node restarts.',
    mend: 'Prepare a new certificate in time.',
  },
  'IMG-003': {
    why: 'Clients refuse it: sign-in and every pull fail.',
    mend: 'Install a certificate for its host name, or add the authority that signed it.',
  },
  'IMG-004': {
    why: 'The images of its clusters do not fit, and a shipment would stop in the middle.',
    mend: 'Give it a larger disk, or fewer clusters.',
  },
  'IMG-005': {
    why: 'What it holds now is not known; what was seen last is used.',
    mend: 'Look at its endpoint, credential and certificate; then look again.',
  },
  'IMG-006': {
    why: 'Whether nodes could pull from it cannot be said.',
    mend: 'Make it reachable from here, or correct its endpoint.',
  },
  'IMG-007': {
    why: 'A node that pulls by name gets another image than the one that was planned.',
    mend: 'Ship the image again, and find out who moved the name.',
  },
  'IMG-008': {
    why: 'A pull of that content fails its digest.',
    mend: 'Ship it again, and look at the disk that it lay on.',
  },
  'IMG-009': {
    why: 'It takes room that new images need.',
    mend: 'Look at what can be deleted and why; then delete it.',
  },
  'IMG-010': {
    why: 'The components are too far apart to work with each other.',
    mend: 'Choose versions that go together.',
  },
  'IMG-011': {
    why: 'The runtime is told one place for a whole registry, and would look there in vain.',
    mend: 'Keep all images of that source below one path.',
  },
  'IMG-012': {
    why: 'A shipment would stop when the disk is full.',
    mend: 'Delete what is not needed, or give it a larger disk.',
  },
  'KEY-001': {
    why: 'Nothing can sign in where the document says.',
    mend: 'Add the entry to the keyring, or name one that is there.',
  },
  'KEY-002': {
    why: 'Passwords are locked: a host that does not start cannot be looked at.',
    mend: 'Add a public key to the charter.',
  },
  'KEY-003': {
    why: 'A credential goes only where its entry says; nothing is sent elsewhere.',
    mend: 'Add the place to the entry, or name another entry.',
  },
  'NET-001': {
    why: 'No router can tell the two networks apart.',
    mend: 'Change one of the prefixes; a network that is carved out of the other says so.',
  },
  'NET-002': {
    why: 'Hosts would have no way out.',
    mend: 'Set an address inside the prefix.',
  },
  'NET-003': {
    why: 'The address of the gateway would be given away a second time.',
    mend: 'Move the gateway, or shorten the pool.',
  },
  'NET-004': {
    why: 'Nothing is declared that routes into it or out of it.',
    mend: 'Set its gateway.',
  },
  'NET-005': {
    why: 'Addresses outside the network reach nobody.',
    mend: 'Correct the range or the prefix.',
  },
  'NET-006': {
    why: 'Their hosts hear each other’s broadcasts, and one DHCP server answers both.',
    mend: 'Give each network a VLAN of its own.',
  },
  'NET-007': {
    why: 'How it was understood should be looked at once.',
    mend: 'Store it as a list.',
  },
  'NET-008': {
    why: 'A part of what was typed is not used as a server.',
    mend: 'Correct the list.',
  },
  'NET-009': {
    why: 'While the only one is away, no node finds the API, the mirror or anything else by name.',
    mend: 'Name a second resolver.',
  },
  'NET-010': {
    why: 'Tunnels between hosts and gateways are not formed.',
    mend: 'Give the endpoints of gateways a VLAN of their own, and route both ways.',
  },
  'NET-011': {
    why: 'Packets of full size are lost or cut up once the outer headers are added.',
    mend: 'Raise the MTU of the network, on its switches too.',
  },
  'NET-012': {
    why: 'Nothing in the network can hand a packet to that address.',
    mend: 'Set a next hop inside the network.',
  },
  'NET-013': {
    why: 'Packets arrive, and answers do not.',
    mend: 'Add the way back, or take the route out.',
  },
  'NET-014': {
    why: 'The overlap that it was to explain is not there.',
    mend: 'Correct the prefix, or let the network stand by itself.',
  },
  'NET-015': {
    why: 'After its lease another machine may have the address, and the route leads there.',
    mend: 'Reserve the address for the machine, outside the scope or bound to its MAC.',
  },
  'NET-016': {
    why: 'No host may have that address; routers refuse it, or answer everybody.',
    mend: 'Set an address between the ends.',
  },
  'NET-017': {
    why: 'Two machines would answer for the way out.',
    mend: 'Give the other one another address, or correct the gateway.',
  },
  'NET-018': {
    why: 'One address would be given out by both.',
    mend: 'Shorten one of them, so that they share nothing; a part that is meant to lie inside says so.',
  },
  'NET-019': {
    why: 'Certificates and etcd depend on clocks that agree.',
    mend: 'Name a time server that its hosts reach.',
  },
  'NET-020': {
    why: 'Its address can be given to another machine.',
    mend: 'Move it out of the range, or shorten the range.',
  },
  'NET-021': {
    why: 'Nothing that follows from its site can be computed.',
    mend: 'Declare the site, or correct the name.',
  },
  'NET-022': {
    why: 'How long a shipment takes, and whether it fits the hours, cannot be computed.',
    mend: 'Set the rate of the link.',
  },
  'NET-023': {
    why: 'As long as the site stays sealed that does no harm; once it is connected, no router can tell them apart.',
    mend: 'Nothing, while the site is sealed; renumber it before it is connected.',
  },
  'NET-024': {
    why: 'Nothing is handed to an address in a network that it does not lie in.',
    mend: 'Correct the address, or the network.',
  },
  'NET-025': {
    why: 'Machines of the network send to whichever of the two answered last.',
    mend: 'Give one of them another address.',
  },
  'NET-026': {
    why: 'Each of the two takes the other for one of its own, and who leads changes without end.',
    mend: 'Give one of them another number from 1 to 255.',
  },
  'NET-027': {
    why: 'A tunnel between two ends on one VLAN is not formed.',
    mend: 'Give the member an address in a network of tunnels that is meant for gateways.',
  },
  'NET-028': {
    why: 'Packets that are too large for the way are lost, or cut up: small questions work and large answers do not.',
    mend: 'Make the links larger, or what the tunnels carry smaller.',
  },
  'NET-029': {
    why: 'The route is not taken up: what it is for goes another way, or nowhere.',
    mend: 'Name a next hop in a network of the member, or give the member an address there.',
  },
  'NET-030': {
    why: 'After its lease another machine may have it, and what is routed there is lost.',
    mend: 'Reserve the address, or take one outside the scope.',
  },
  'NET-031': {
    why: 'It works for as long as the other one leads, and stops on the day it is away.',
    mend: 'Give the member the route, over a next hop of its own.',
  },
  'NET-032': {
    why: 'While that member is away nothing leaves the network, although another one is there.',
    mend: 'Set an address that moves between the members.',
  },
  'NET-033': {
    why: 'There is nobody to take the address over.',
    mend: 'Give a second member an address in the network.',
  },
  'NET-034': {
    why: 'Who leads is decided by their addresses then, and not by anybody.',
    mend: 'Give one of them a lower priority.',
  },
  'NET-035': {
    why: 'Each member knows of the connections that it has let through itself.',
    mend: 'Let one member lead at both, or do without rules and translation between them.',
  },
  'NET-036': {
    why: 'Answers go to an address that nobody has.',
    mend: 'Take an address of a network that the gateway stands in.',
  },
  'NET-037': {
    why: 'New connections are refused when many nodes open theirs at once, as at a pull of images.',
    mend: 'Add an address, or give the nodes one of their own.',
  },
  'NET-038': {
    why: 'Whoever wrote it believes that it does something.',
    mend: 'Take it out, or move it in front of the other.',
  },
  'NET-039': {
    why: 'A client that takes the routes of a scope leaves the gateway that it names aside (RFC 3442).',
    mend: 'Add the way to everything else to the routes of the scope.',
  },
  'NET-040': {
    why: 'The client cannot hand a packet to an address outside its own network.',
    mend: 'Name a next hop in the network.',
  },
  'NET-041': {
    why: 'Packets that are too large are lost without a word to whoever sent them.',
    mend: 'Let the interface have the MTU of its network.',
  },
  'NET-042': {
    why: 'The second member is there for the day on which the first is away, and shares what fails.',
    mend: 'Give each member an uplink on a VLAN of its own.',
  },
  'NET-043': {
    why: 'While that member leads, hosts have no tunnel to the outside.',
    mend: 'Give it an address in a network of tunnels for gateways.',
  },
  'NET-044': {
    why: 'A machine that names the other one as its next hop passes everything that is denied.',
    mend: 'Give both the same rules, or let one of them not join those networks.',
  },
  'NET-045': {
    why: 'On the internet the number is somebody’s; routes with it may be refused, or taken for theirs.',
    mend: 'Take a number for use within an organisation (RFC 6996).',
  },
  'NET-046': {
    why: 'Two clusters in one network are not kept apart, and what they send cannot be told apart outside.',
    mend: 'Give the other cluster a network of its own.',
  },
  'NET-047': {
    why: 'A prefix, a VLAN and outbound addresses are kept for nobody.',
    mend: 'Give the precinct back, or let its cluster stand in it.',
  },
  'NET-048': {
    why: 'The next cluster that is to have a precinct cannot be given one.',
    mend: 'Give back what is left over, or set more aside.',
  },
  'NET-049': {
    why: 'Clusters with a precinct would not reach anything outside of it.',
    mend: 'Name a gateway that is there, and networks in which its members have addresses.',
  },
  'NET-050': {
    why: 'A proxy that can be gone past keeps nothing in, and its record is not whole.',
    mend: 'Deny at the gateway what nodes send to anybody outside.',
  },
  'SVC-001': {
    why: 'The router refuses the session, and learns nothing of the services.',
    mend: 'Set the number that the router has.',
  },
  'SVC-002': {
    why: 'A service without an address waits for one, and nobody reaches it.',
    mend: 'Make the pool larger, or plan fewer services.',
  },
  'SVC-003': {
    why: 'What announces the pool gives no address outside it.',
    mend: 'Let the address follow, or widen the pool.',
  },
  'SVC-004': {
    why: 'One of the two is not published.',
    mend: 'Give each a name and an address of its own.',
  },
  'SVC-005': {
    why: 'Pods run elsewhere long since, and clients are still sent to the host that died.',
    mend: 'Set a shorter hold timer, or BFD on both sides.',
  },
  'SVC-006': {
    why: 'BFD that one side alone has notices nothing.',
    mend: 'Give it to both sides, or to none.',
  },
  'SVC-007': {
    why: 'Nodes that are not used carry nothing, and the throughput of a service is smaller than it could be.',
    mend: 'Let the router use as many equal ways as there are nodes.',
  },
  'SVC-008': {
    why: 'The service runs, and those it is for get no answer.',
    mend: 'Add the route that is lacking, or the rule that lets it pass.',
  },
  'SVC-009': {
    why: 'Routes are not passed on, or are refused, between neighbours of one number.',
    mend: 'Give the nodes a number of their own.',
  },
  'SVC-010': {
    why: 'One host’s link is the ceiling of each service, and its death an outage of each.',
    mend: 'Compare both ways; announce by BGP where the routers speak it.',
  },
  'SVC-015': {
    why: 'One of the two is never made, and whoever asks for it meets the other.',
    mend: 'Give one of them another port.',
  },
  'SVC-014': {
    why: 'The pool has an address less, and a service that clients still ask for is not there.',
    mend: 'Release the address, or plan the service again.',
  },
  'SVC-013': {
    why: 'Whoever takes one of the two is a step from the other.',
    mend: 'Give each a network of its own, and deny what passes between them at their gateway.',
  },
  'SVC-012': {
    why: 'No service of the cluster is given an address of the pool, or reached at it.',
    mend: 'Add what announces it, or do without the pool.',
  },
  'SVC-011': {
    why: 'Who lies in that network asks for the address there, and is not answered.',
    mend: 'Take a range that lies in no network, or in one without a VLAN.',
  },
  'ADR-011': {
    why: 'Nobody on the network would answer for its addresses.',
    mend: 'Choose a range inside the machine network.',
  },
  'ADR-012': {
    why: 'Both would give the same addresses to their services.',
    mend: 'Give each cluster a range of its own.',
  },
  'ADR-013': {
    why: 'Two parts of the cluster would answer for it.',
    mend: 'Let one of them follow.',
  },
  'ADR-014': {
    why: 'Whoever asks one cluster is answered by the other.',
    mend: 'Let one of them follow.',
  },
  'ADR-015': {
    why: 'The address and its names are kept for nobody.',
    mend: 'Release it, unless what it is for comes back.',
  },
  'ADR-016': {
    why: 'No machine may have the address of the network itself or its broadcast address.',
    mend: 'Reserve another address.',
  },
  'ADR-017': {
    why: 'Whoever asks for the name is led to either.',
    mend: 'Give one of them another name.',
  },
  'DNS-010': {
    why: 'Whoever asks one cluster is answered by the other.',
    mend: 'Let the name follow, or set another one.',
  },
  'DNS-011': {
    why: 'No server that is known here can serve it.',
    mend: 'Declare its zone, or choose a name in a declared one.',
  },
  'DNS-012': {
    why: 'Clients would be led past the API.',
    mend: 'Remove the record; the right one follows from the charter.',
  },
  'DNS-013': {
    why: 'Nodes ask a resolver for it before they pull anything.',
    mend: 'Reserve its address under that name, or add a record.',
  },
  'DNS-014': {
    why: 'Resolvers that are led to it cannot ask it (RFC 1034 §4.2.1).',
    mend: 'Reserve its address under that name, or add a record.',
  },
  'CHT-015': {
    why: 'Pods and nodes could not reach it.',
    mend: 'Choose a range that covers none of them.',
  },
  'CHT-016': {
    why: 'Machines never route them: loopback, link-local and multicast (RFC 6890).',
    mend: 'Choose a private range (RFC 1918, RFC 4193).',
  },
  'CHT-017': {
    why: 'Whoever really has those addresses cannot be reached from the cluster.',
    mend: 'Choose a private range (RFC 1918, RFC 4193).',
  },
  'CHT-018': {
    why: 'A service could not lead to its pods.',
    mend: 'Give both ranges of one version.',
  },
  'CHT-019': {
    why: 'When it fails, or is renewed, nothing can run elsewhere.',
    mend: 'Ask for a second worker.',
  },
  'CHT-020': {
    why: 'Losing that zone stops everything, and need not.',
    mend: 'Name workers of several zones, or wipe hosts there.',
  },
  'CHT-021': {
    why: 'The role stays empty.',
    mend: 'Correct the name, or take it out of the list.',
  },
  'CHT-022': {
    why: 'A host cannot be replaced before the old one is gone.',
    mend: 'Widen the range, or make the blocks smaller.',
  },
  'CHT-023': {
    why: 'The pool is what keeps others away from them.',
    mend: 'Let it follow, or set one of the pool.',
  },
  'CHT-024': {
    why: 'Pods are started twice, and volumes change hands, while their host is well.',
    mend: 'Let it follow, or renew more often.',
  },
  'CHT-025': {
    why: 'On the day the authority ends, every part of the cluster refuses every other.',
    mend: 'Let certificates hold for a tenth of what their authority does.',
  },
  'HST-018': {
    why: 'What is done to one is done to the other.',
    mend: 'Correct the address of one, or remove the entry that was made twice.',
  },
  'HST-019': {
    why: 'One machine was listed twice, or its maker set none.',
    mend: 'Remove the entry that was made twice.',
  },
  'HST-020': {
    why: 'It cannot be started, erased or read from here.',
    mend: 'Enter its controller, or do by hand what it would be asked for.',
  },
  'HST-021': {
    why: 'Disks and adapters may have been changed since.',
    mend: 'Read them again.',
  },
  'HST-022': {
    why: 'Nothing uses the host, and nobody else can have it.',
    mend: 'Give it back, or declare the charter again.',
  },
  'HST-023': {
    why: 'Where it stands decides what fails together with it.',
    mend: 'Correct the name, or declare the rack at the site.',
  },
  'IMG-013': {
    why: 'Who shares its power, its disks and its fate is not known.',
    mend: 'List the host, or correct the name.',
  },
  'IMG-014': {
    why: 'Nodes would be told to trust nobody, and refuse its certificate.',
    mend: 'Add the authority that signed its certificate.',
  },
  'IMG-015': {
    why: 'Whoever reaches it can read every image.',
    mend: 'Name the keyring entry that nodes log in with, unless it is meant to be open.',
  },
  'IMG-016': {
    why: 'Its nodes cannot reach it.',
    mend: 'Choose a registry of the site, and ship the images to it.',
  },
  'IMG-017': {
    why: 'While the link between the sites is away, no node can pull.',
    mend: 'Choose a registry of the site.',
  },
  'IMG-018': {
    why: 'Its bill cannot be computed, and nothing can be shipped from it.',
    mend: 'Declare the registry that publishes it.',
  },
  'CHT-026': {
    why: 'Pods go where no taint keeps them away; with none such, the build never ends.',
    mend: 'Leave one pool without taints.',
  },
  'CHT-027': {
    why: 'A kubelet that is told such a label ends with an error, and its host never joins.',
    mend: 'Use a label of a domain of your own, or one without a domain.',
  },
  'CHT-028': {
    why: 'No host can be both, so that none is found.',
    mend: 'Take guests, or take the mould out.',
  },
  'CHT-029': {
    why: 'No host can be chosen for the pool from there.',
    mend: 'Correct the zone, or set the zones of the hosts.',
  },
  'CHT-030': {
    why: 'Its pods start on those nodes and end at once: the image is for other processors.',
    mend: 'Choose a release or an add-on that is made for it, or hosts of another architecture.',
  },
  'CHT-031': {
    why: 'Nobody outside would learn where published addresses are.',
    mend: 'Name the AS number of the nodes and the routers, or announce by ARP and NDP.',
  },
  'CHT-032': {
    why: 'The router is then what everything published depends on.',
    mend: 'Name a second router of the network.',
  },
  'CHT-033': {
    why: 'The session is never established: packets to a neighbour are not routed.',
    mend: 'Name an address that the router has in the machine network.',
  },
  'CHT-034': {
    why: 'A route with a foreign number that gets out takes traffic from its owner.',
    mend: 'Choose a private AS number, unless it is your own.',
  },
  'CHT-035': {
    why: 'Somebody may believe that the pool moves as fast as BGP lets it.',
    mend: 'Announce by BGP, or take the routers out.',
  },
  'CHT-036': {
    why: 'What an add-on does would be decided by nobody.',
    mend: 'Answer the question in the charter, or take the add-on out.',
  },
  'CHT-037': {
    why: 'Hosts that ask it get no time, and certificates are refused by clocks that are wrong.',
    mend: 'Correct the list; any separator will do.',
  },
  'CHT-038': {
    why: 'A restart of that host ends every connection from outside.',
    mend: 'Keep two hosts for it.',
  },
  'CHT-039': {
    why: 'One breaker then stops the whole cluster.',
    mend: 'Name a host of the other feed, or connect hosts to both.',
  },
  'IMG-019': {
    why: 'Without a pod network no node becomes ready.',
    mend: 'Choose an add-on that brings one, or let the release bring its own.',
  },
  'IMG-020': {
    why: 'Nodes ask the mirror for an image that nobody sent there.',
    mend: 'Add the images to its components.',
  },
  'KEY-004': {
    why: 'The build stops where the secret is asked for.',
    mend: 'Add the entry, with the charter among its places.',
  },
  'STO-001': {
    why: 'Which class a claim gets is then chance.',
    mend: 'Keep one of them as the default.',
  },
  'STO-002': {
    why: 'Most programs name no class, and would wait for a volume.',
    mend: 'Make one of them the default.',
  },
  'STO-003': {
    why: 'A volume that is degraded from the first day tells nobody when a copy is lost.',
    mend: 'Ask for fewer copies, let them share more, or add hosts.',
  },
  'STO-004': {
    why: 'A backup brings back what was there when it was made; a copy brings back all.',
    mend: 'Let the number of copies follow, unless the data can be made anew.',
  },
  'STO-005': {
    why: 'Every claim of the class would wait for ever.',
    mend: 'Choose a release or an add-on with these programs, or another kind of class.',
  },
  'STO-006': {
    why: 'A host that is lost takes the data of its pods with it.',
    mend: 'Add a class with copies or an NFS server, if anything must outlive a host.',
  },
  'STO-007': {
    why: 'A pod whose claim waits does not start.',
    mend: 'Name a class that the charter has, or declare it.',
  },
  'STO-008': {
    why: 'A pod whose claim waits does not start.',
    mend: 'Make a class the default, or name one.',
  },
  'STO-009': {
    why: 'Its data are on one host, and it is away for as long as that is.',
    mend: 'Take a class with copies, or accept that it is away.',
  },
  'STO-010': {
    why: 'No copy of it could be made.',
    mend: 'Ask for less, or take hosts with larger disks.',
  },
  'STO-011': {
    why: 'A volume that is degraded from the first day tells nobody when a copy is lost.',
    mend: 'Ask for less, keep fewer copies, or add disks.',
  },
  'STO-012': {
    why: 'The plan runs, and nothing is kept.',
    mend: 'Declare the store, or name one that there is.',
  },
  'STO-013': {
    why: 'What is lost with all copies, or deleted by hand, is gone for good.',
    mend: 'Add a plan for them, or accept it for what can be made anew.',
  },
  'STO-014': {
    why: 'Somebody believes that it is backed up.',
    mend: 'Name a volume that there is, or take it out.',
  },
  'STO-015': {
    why: 'Nothing is ever backed up by it.',
    mend: 'Name days that there are.',
  },
  'STO-016': {
    why: 'With all of its copies, everything since the last whole backup is lost.',
    mend: 'Back up more often, or to a store that takes it more quickly.',
  },
  'STO-017': {
    why: 'Where the newest one is damaged, or has the mistake in it already, there is none before it.',
    mend: 'Keep it for longer, or keep a number of them.',
  },
  'STO-018': {
    why: 'What takes the site takes both.',
    mend: 'Back up to a store at another site as well, or carry copies away.',
  },
  'STO-019': {
    why: 'They are lost with what they are of.',
    mend: 'Move the store to a host of another cluster, or of none.',
  },
  'STO-020': {
    why: 'The store is full one night, and that backup is missing.',
    mend: 'Keep fewer, give the store more room, or send some elsewhere.',
  },
  'STO-021': {
    why: 'Backups fall behind, and each is older than its plan says.',
    mend: 'Back up less often, or over a faster way.',
  },
  'STO-022': {
    why: 'Whether a backup can be read is known on the day that it is needed.',
    mend: 'Let the newest one be tested on a schedule.',
  },
  'STO-023': {
    why: 'On that day it runs at another time.',
    mend: 'Nothing, or a time at which clocks do not change.',
  },
  'STO-024': {
    why: 'Nothing can be backed up there, and nothing that lies there can be read.',
    mend: 'Add the entry to the keyring, for encryption.',
  },
  'STO-025': {
    why: 'The plan fails every time.',
    mend: 'Take a store at its own site, and carry copies away on media.',
  },
  'STO-026': {
    why: 'Only the first of them backs it up.',
    mend: 'Name each volume once.',
  },
  'STO-027': {
    why: 'It waits until the link opens, and the backup is older than it seems.',
    mend: 'Let it run within the hours of the link.',
  },
  'STO-028': {
    why: 'Its second pod waits for ever on another host.',
    mend: 'Take an NFS class, or let one node use it.',
  },
  'STO-029': {
    why: 'One fuse takes all of them.',
    mend: 'Take hosts on both feeds, or keep copies apart by rack or zone.',
  },
  'STO-030': {
    why: 'Volumes stay degraded until the host is back, and the next loss takes data.',
    mend: 'Add disks or a host, or keep fewer copies.',
  },
  'STO-031': {
    why: 'More is lost with it than its owner believes.',
    mend: 'Look at the last run, mend what it says, and back up now.',
  },
  'STO-032': {
    why: 'The volume cannot be given back as it was.',
    mend: 'Back up anew, and test that.',
  },
  'STO-033': {
    why: 'When the other cluster is lost, so is all that was written since.',
    mend: 'Look at the last run and mend what it says, or accept that it is further behind.',
  },
  'STO-034': {
    why: 'On the day on which it is needed there is nothing to activate.',
    mend: 'Give both workloads volumes of the same names, those of the copy at least as large.',
  },
  'STO-035': {
    why: 'A standby copy follows backups, and there are none.',
    mend: 'Add a plan that backs these volumes up.',
  },
  'STO-036': {
    why: 'Fire, water or power takes both.',
    mend: 'Keep it in a cluster at another site.',
  },
  'STO-037': {
    why: 'Both may take orders: what is written there is lost when it is given back.',
    mend: 'End it at the other cluster, or see that nobody reaches it there.',
  },
  'CHT-046': {
    why: 'What is planned to run does not.',
    mend: 'Add hosts, ask for less, or let its pods share a place.',
  },
  'CHT-047': {
    why: 'Its owner was promised something else.',
    mend: 'Have two replicas, let its pod wait for less, or accept a longer absence.',
  },
  'CHT-048': {
    why: 'The loss of one host is what a cluster is to bear.',
    mend: 'Add a host, ask for less, or have fewer replicas.',
  },
  'CHT-049': {
    why: 'After an outage the site stays dark until somebody finds out what to put in place by hand.',
    mend: 'Let one of them ask something outside the circle: a resolver, a time server or a registry on a machine of its own.',
  },
  'CHT-050': {
    why: 'It has started so far because something happened to be there; after an outage it may not be.',
    mend: 'Let one of them ask something outside the circle, or see to it that the condition holds.',
  },
  'CHT-051': {
    why: 'What is rehearsed is taken for what happens: here one of both is wrong.',
    mend: 'Correct what the charter says of it, apply changes that wait, or try it again.',
  },
  'TPL-001': {
    why: 'Nobody sees any more what the cluster was meant to be like.',
    mend: 'Declare the template again, or let the charter stand by itself.',
  },
  'TPL-002': {
    why: 'Clusters of one template that differ without a reason are run as if they were alike.',
    mend: 'Let the field follow, or say on the page of the template that it is meant.',
  },
  'TPL-003': {
    why: 'What was put right for all has not reached this one.',
    mend: 'See what the newer version changes, and bring the charter to it.',
  },
  'TPL-004': {
    why: 'Neither what it departs in nor what a newer version would change can be computed.',
    mend: 'Answer the question that is named.',
  },
  'CHT-040': {
    why: 'The address would be on no interface, and what is to use the network would wait for it.',
    mend: 'Give the network a VLAN of its own, or take it out of the charter.',
  },
  'CHT-041': {
    why: 'The interface gets a smaller MTU than the network says, and large packets vanish.',
    mend: 'Give the machine network the larger MTU, or hosts an adapter for the other.',
  },
  'IMG-021': {
    why: 'The API answers that it knows no such kind, and the add-on stands by half.',
    mend: 'Take a version of the add-on that is made for the release, or change the lines that are named.',
  },
  'CHT-042': {
    why: 'The second address would be at an interface that nobody of that network reaches.',
    mend: 'Choose a network of the other version with the VLAN of the machine network.',
  },
  'CHT-043': {
    why: 'Neither the API server nor the load balancer before it starts, and the build waits for an API that never answers.',
    mend: 'Choose a port that no program of the control plane has, or leave it empty.',
  },
  'CHT-044': {
    why: 'Its pods start on those nodes and find a kernel or programs that they do not know.',
    mend: 'Choose an operating system for the pool that it runs on, or take the program out.',
  },
  'CHT-045': {
    why: 'Somebody may believe that its nodes have it: guests start from the disk of their mould.',
    mend: 'Take the operating system out, or give the pool machines.',
  },
};

/** Every check as a table, as it stands in the docs. */
export function findingsTable(): string {
  const rows = catalogue.map(
    (c) => `| \`${c.code}\` | ${c.severity} | ${c.about} | ${checkWords[c.code]?.why} | ${checkWords[c.code]?.mend} |`,
  );
  return ['| code | kind | finds | why it matters | what to do |', '| --- | --- | --- | --- | --- |', ...rows].join('\n');
}
