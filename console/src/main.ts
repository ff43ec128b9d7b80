import { mount } from 'svelte';

import App from './App.svelte';
import { speakAsBefore } from './border/language';
import { showThemeAsBefore } from './border/page';
import { startWorker } from './border/shared';
import './app.css';

showThemeAsBefore();
const target = document.getElementById('app');
// A catalogue that can't be had keeps nobody from the console.
await speakAsBefore().catch(() => {});
if (target) mount(App, { target });
startWorker();
