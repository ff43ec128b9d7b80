import { mount } from 'svelte';

import App from './App.svelte';
import { showThemeAsBefore } from './border/page';
import { startWorker } from './border/shared';
import './app.css';

showThemeAsBefore();
const target = document.getElementById('app');
if (target) mount(App, { target });
startWorker();
