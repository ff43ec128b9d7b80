// The soft sound of a copy: the same two tones as the desktop's.

/** In Hertz, and how long each is, in seconds. */
const TONES = [587.33, 880];
const LONG = 0.055;
/** Of what is possible. */
const LOUD = 0.18;
const STEPS = 32;

/** It comes and goes without a click. */
const SWELL = Float32Array.from({ length: STEPS }, (_, n) => LOUD * Math.sin((Math.PI * n) / (STEPS - 1)));

let audio: AudioContext | undefined;

/** Plays it. A browser lets no page sound that nobody has touched: then it is silent. */
export function chime(): void {
  try {
    audio ??= new AudioContext();
  } catch {
    return;
  }
  const { destination } = audio;
  void audio.resume().catch(() => {});
  // Not at once: what is set up late on a busy machine would be cut short.
  const begin = audio.currentTime + 0.06;
  for (const [n, tone] of TONES.entries()) {
    const [voice, swell] = [new OscillatorNode(audio, { frequency: tone }), new GainNode(audio, { gain: 0 })];
    swell.gain.setValueCurveAtTime(SWELL, begin + n * LONG, LONG);
    voice.connect(swell).connect(destination);
    voice.start(begin + n * LONG);
    voice.stop(begin + (n + 1) * LONG);
  }
}
