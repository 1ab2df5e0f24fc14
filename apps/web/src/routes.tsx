import { createBrowserRouter, Navigate } from 'react-router';
import { Frame } from './frame/Frame.tsx';
import { Broken } from './parts/Broken.tsx';
import { SignIn } from './spaces/sign-in/SignIn.tsx';

/** A space loads when it is opened. A new one is a folder and a line. */
export const router = createBrowserRouter([
  { path: '/sign-in', element: <SignIn /> },
  { path: '/join', lazy: async () => ({ Component: (await import('./spaces/sign-in/Join.tsx')).Join }) },
  {
    path: '/',
    element: <Frame />,
    errorElement: <Broken />,
    HydrateFallback: () => null,
    children: [
      { index: true, element: <Navigate to="/estate" replace /> },
      { path: 'estate', lazy: async () => ({ Component: (await import('./spaces/estate/EstateSpace.tsx')).EstateSpace }) },
      {
        path: 'estate/by-dependency',
        lazy: async () => ({ Component: (await import('./spaces/estate/DependencySpace.tsx')).DependencySpace }),
      },
      {
        path: 'estate/side-by-side',
        lazy: async () => ({ Component: (await import('./spaces/estate/SideBySideSpace.tsx')).SideBySideSpace }),
      },
      {
        path: 'estate/changed',
        lazy: async () => ({ Component: (await import('./spaces/estate/ChangedSpace.tsx')).ChangedSpace }),
      },
      { path: 'estate/book', lazy: async () => ({ Component: (await import('./spaces/estate/BookSpace.tsx')).BookSpace }) },
      {
        path: 'estate/new-sites',
        lazy: async () => ({ Component: (await import('./spaces/estate/NewSitesSpace.tsx')).NewSitesSpace }),
      },
      {
        path: 'estate/installations',
        lazy: async () => ({ Component: (await import('./spaces/installations/InstallationsSpace.tsx')).InstallationsSpace }),
      },
      {
        path: 'estate/bundles/:id',
        lazy: async () => ({ Component: (await import('./spaces/installations/BundlePage.tsx')).BundlePage }),
      },
      { path: 'declare', lazy: async () => ({ Component: (await import('./spaces/estate/DeclareSpace.tsx')).DeclareSpace }) },
      {
        path: 'proposals',
        lazy: async () => ({ Component: (await import('./spaces/proposals/ProposalsSpace.tsx')).ProposalsSpace }),
      },
      {
        path: 'proposals/:id',
        lazy: async () => ({ Component: (await import('./spaces/proposals/ProposalPage.tsx')).ProposalPage }),
      },
      { path: 'hosts', lazy: async () => ({ Component: (await import('./spaces/hosts/HostsSpace.tsx')).HostsSpace }) },
      { path: 'hosts/racks', lazy: async () => ({ Component: (await import('./spaces/hosts/RacksSpace.tsx')).RacksSpace }) },
      {
        path: 'hosts/hypervisors',
        lazy: async () => ({ Component: (await import('./spaces/hosts/HypervisorsSpace.tsx')).HypervisorsSpace }),
      },
      {
        path: 'hosts/profiles',
        lazy: async () => ({ Component: (await import('./spaces/hosts/ProfilesSpace.tsx')).ProfilesSpace }),
      },
      { path: 'hosts/:name', lazy: async () => ({ Component: (await import('./spaces/hosts/HostPage.tsx')).HostPage }) },
      {
        path: 'addresses',
        lazy: async () => ({ Component: (await import('./spaces/addresses/AddressesSpace.tsx')).AddressesSpace }),
      },
      {
        path: 'addresses/names',
        lazy: async () => ({ Component: (await import('./spaces/addresses/NamesSpace.tsx')).NamesSpace }),
      },
      {
        path: 'addresses/routes',
        lazy: async () => ({ Component: (await import('./spaces/addresses/RoutesSpace.tsx')).RoutesSpace }),
      },
      {
        path: 'addresses/trace',
        lazy: async () => ({ Component: (await import('./spaces/addresses/TraceSpace.tsx')).TraceSpace }),
      },
      { path: 'images', lazy: async () => ({ Component: (await import('./spaces/images/ImagesSpace.tsx')).ImagesSpace }) },
      { path: 'images/pulls', lazy: async () => ({ Component: (await import('./spaces/images/PullsSpace.tsx')).PullsSpace }) },
      {
        path: 'images/clean-up',
        lazy: async () => ({ Component: (await import('./spaces/images/CleanUpSpace.tsx')).CleanUpSpace }),
      },
      { path: 'images/rules', lazy: async () => ({ Component: (await import('./spaces/images/RulesSpace.tsx')).RulesSpace }) },
      {
        path: 'clusters',
        lazy: async () => ({ Component: (await import('./spaces/clusters/ClustersSpace.tsx')).ClustersSpace }),
      },
      {
        path: 'clusters/existing',
        lazy: async () => ({ Component: (await import('./spaces/clusters/ExistingSpace.tsx')).ExistingSpace }),
      },
      { path: 'clusters/new', lazy: async () => ({ Component: (await import('./spaces/clusters/BeginSpace.tsx')).BeginSpace }) },
      {
        path: 'clusters/templates',
        lazy: async () => ({ Component: (await import('./spaces/clusters/TemplatesSpace.tsx')).TemplatesSpace }),
      },
      {
        path: 'clusters/templates/:name',
        lazy: async () => ({ Component: (await import('./spaces/clusters/TemplatePage.tsx')).TemplatePage }),
      },
      {
        path: 'clusters/stores',
        lazy: async () => ({ Component: (await import('./spaces/clusters/StoresSpace.tsx')).StoresSpace }),
      },
      {
        path: 'clusters/:name',
        lazy: async () => ({ Component: (await import('./spaces/clusters/CharterSpace.tsx')).CharterSpace }),
      },
      {
        path: 'clusters/:name/change',
        lazy: async () => ({ Component: (await import('./spaces/clusters/ChangeSpace.tsx')).ChangeSpace }),
      },
      { path: 'builds', lazy: async () => ({ Component: (await import('./spaces/builds/BuildsSpace.tsx')).BuildsSpace }) },
      {
        path: 'builds/:charter/:number/compare',
        lazy: async () => ({ Component: (await import('./spaces/builds/CompareSpace.tsx')).CompareSpace }),
      },
      {
        path: 'builds/:charter/:number',
        lazy: async () => ({ Component: (await import('./spaces/builds/BuildSpace.tsx')).BuildSpace }),
      },
      {
        path: 'rehearse',
        lazy: async () => ({ Component: (await import('./spaces/rehearse/RehearseSpace.tsx')).RehearseSpace }),
      },
      {
        path: 'rehearse/cold-start',
        lazy: async () => ({ Component: (await import('./spaces/rehearse/ColdStartSpace.tsx')).ColdStartSpace }),
      },
      { path: 'checks', lazy: async () => ({ Component: (await import('./spaces/checks/ChecksSpace.tsx')).ChecksSpace }) },
      { path: 'keyring', lazy: async () => ({ Component: (await import('./spaces/keyring/KeyringSpace.tsx')).KeyringSpace }) },
      { path: 'proving', lazy: async () => ({ Component: (await import('./spaces/proving/ProvingSpace.tsx')).ProvingSpace }) },
      { path: 'notices', lazy: async () => ({ Component: (await import('./spaces/record/NoticesSpace.tsx')).NoticesSpace }) },
      { path: 'people', lazy: async () => ({ Component: (await import('./spaces/record/PeopleSpace.tsx')).PeopleSpace }) },
      {
        path: 'people/teams',
        lazy: async () => ({ Component: (await import('./spaces/record/TeamsSpace.tsx')).TeamsSpace }),
      },
      {
        path: 'people/sign-in',
        lazy: async () => ({ Component: (await import('./spaces/record/SignInSpace.tsx')).SignInSpace }),
      },
      { path: 'record', lazy: async () => ({ Component: (await import('./spaces/record/RecordSpace.tsx')).RecordSpace }) },
    ],
  },
]);
