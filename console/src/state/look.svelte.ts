// How the hours of a day are counted, everywhere in the console: as the settings say.
export const clock = $state<{ hours: '24' | '12' }>({ hours: '24' });
