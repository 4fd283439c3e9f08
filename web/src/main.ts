import '@fontsource/barlow-condensed/latin-600.css';
import '@fontsource/barlow-condensed/latin-700.css';
import '@fontsource/ibm-plex-mono/latin-400.css';
import '@fontsource/ibm-plex-mono/latin-600.css';
import '@fontsource/ibm-plex-sans/latin-400.css';
import '@fontsource/ibm-plex-sans/latin-600.css';
import './app.css';

import { mount } from 'svelte';
import App from './App.svelte';
import { applyTheme } from './lib/theme';

applyTheme();
mount(App, { target: document.getElementById('app')! });
