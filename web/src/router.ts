// Which address shows which page. A leaf: pages and what is around them are loaded when they
// are opened, so everything may import from here.
import { createRouter } from 'sv-router';

const layout = () => import('./Shell.svelte');

export const { p, navigate, isActive, route } = createRouter({
  '/sign-in': () => import('./pages/SignIn.svelte'),
  '/': { '/': () => import('./pages/Desk.svelte'), layout },
  '/servers': {
    '/': () => import('./pages/Desk.svelte'),
    '/:server': () => import('./pages/Server.svelte'),
    '/:server/:tab': () => import('./pages/Server.svelte'),
    '/:server/deployments/:number': () => import('./pages/Deployment.svelte'),
    layout
  },
  '/staging': { '/': () => import('./pages/Staging.svelte'), layout },
  '/crates/:digest': { '/': () => import('./pages/Crate.svelte'), layout },
  '/deployments': { '/': () => import('./pages/Deployments.svelte'), layout },
  '/schedules': { '/': () => import('./pages/Schedules.svelte'), layout },
  '/groups': { '/': () => import('./pages/Groups.svelte'), layout },
  '/jobs': { '/': () => import('./pages/Jobs.svelte'), layout },
  '/service': { '/': () => import('./pages/Service.svelte'), layout },
  '/make-rulebook': { '/': () => import('./pages/MakeRulebook.svelte'), layout },
  '/rulebooks': {
    '/': () => import('./pages/Rulebooks.svelte'),
    '/:name': () => import('./pages/Rulebook.svelte'),
    layout
  },
  '*': () => import('./pages/NotFound.svelte')
});

/** The address of a deployment's page. */
export const toDeployment = (d: { server: string; number: number }) =>
  p('/servers/:server/deployments/:number', { params: { server: d.server, number: String(d.number) } });

/** The address of a tab of a server's page. */
export const toServer = (server: string, tab = 'add-ons') =>
  p('/servers/:server/:tab', { params: { server, tab } });
