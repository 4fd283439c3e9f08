import { createRouter } from 'sv-router';
import Shell from './Shell.svelte';
import Crate from './pages/Crate.svelte';
import Deployment from './pages/Deployment.svelte';
import Deployments from './pages/Deployments.svelte';
import MakeRulebook from './pages/MakeRulebook.svelte';
import NotFound from './pages/NotFound.svelte';
import Rulebook from './pages/Rulebook.svelte';
import Rulebooks from './pages/Rulebooks.svelte';
import Server from './pages/Server.svelte';
import Servers from './pages/Servers.svelte';
import SignIn from './pages/SignIn.svelte';
import Staging from './pages/Staging.svelte';

export const { p, navigate, isActive, route } = createRouter({
  '/sign-in': SignIn,
  '/': { '/': Servers, layout: Shell },
  '/servers': {
    '/:server': Server,
    '/:server/:tab': Server,
    '/:server/deployments/:number': Deployment,
    layout: Shell
  },
  '/staging': { '/': Staging, layout: Shell },
  '/crates/:digest': { '/': Crate, layout: Shell },
  '/deployments': { '/': Deployments, layout: Shell },
  '/make-rulebook': { '/': MakeRulebook, layout: Shell },
  '/rulebooks': { '/': Rulebooks, '/:name': Rulebook, layout: Shell },
  '*': NotFound
});
