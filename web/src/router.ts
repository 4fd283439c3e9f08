// Which address shows which page. Pages are loaded when they are opened, so that what they
// import from here is no circle.
import { createRouter } from 'sv-router';
import Shell from './Shell.svelte';

export const { p, navigate, isActive, route } = createRouter({
  '/sign-in': () => import('./pages/SignIn.svelte'),
  '/': { '/': () => import('./pages/Servers.svelte'), layout: Shell },
  '/servers': {
    '/:server': () => import('./pages/Server.svelte'),
    '/:server/:tab': () => import('./pages/Server.svelte'),
    '/:server/deployments/:number': () => import('./pages/Deployment.svelte'),
    layout: Shell
  },
  '/staging': { '/': () => import('./pages/Staging.svelte'), layout: Shell },
  '/crates/:digest': { '/': () => import('./pages/Crate.svelte'), layout: Shell },
  '/deployments': { '/': () => import('./pages/Deployments.svelte'), layout: Shell },
  '/make-rulebook': { '/': () => import('./pages/MakeRulebook.svelte'), layout: Shell },
  '/rulebooks': {
    '/': () => import('./pages/Rulebooks.svelte'),
    '/:name': () => import('./pages/Rulebook.svelte'),
    layout: Shell
  },
  '*': () => import('./pages/NotFound.svelte')
});
