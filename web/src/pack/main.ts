import '@fontsource/barlow-condensed/latin-600.css';
import '@fontsource/barlow-condensed/latin-700.css';
import '@fontsource/ibm-plex-mono/latin-400.css';
import '@fontsource/ibm-plex-mono/latin-600.css';
import '@fontsource/ibm-plex-sans/latin-400.css';
import '@fontsource/ibm-plex-sans/latin-600.css';
import { mount } from 'svelte';
import '../app.css';
import { followSystem } from './theme';
import Pack from './Pack.svelte';

followSystem();
const target = document.getElementById('app');
if (target) mount(Pack, { target });
