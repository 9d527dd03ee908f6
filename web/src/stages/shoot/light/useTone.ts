import { useEffect, useRef } from "react";

const LOWEST_HZ = 110;
const OCTAVES_A_STOP = 0.5;
const FLOOR_STOPS = -8;
const GLIDE_S = 0.05;

/** The pitch of a brightness in stops below white: half an octave for each stop, so that 0.2 of one is heard. */
export function pitch(stops: number): number {
  return LOWEST_HZ * 2 ** ((Math.max(stops, FLOOR_STOPS) - FLOOR_STOPS) * OCTAVES_A_STOP);
}

/** A tone that rises with a brightness; silent at null. */
export function useTone(stops: number | null) {
  const voice = useRef<{ sound: AudioContext; voice: OscillatorNode } | null>(null);
  const on = stops !== null;
  useEffect(() => {
    if (!on) return;
    const sound = new AudioContext();
    const oscillator = sound.createOscillator();
    const loud = sound.createGain();
    loud.gain.value = 0.08;
    oscillator.connect(loud).connect(sound.destination);
    oscillator.start();
    voice.current = { sound, voice: oscillator };
    return () => {
      voice.current = null;
      void sound.close();
    };
  }, [on]);
  useEffect(() => {
    if (stops === null || !voice.current) return;
    const { sound, voice: tone } = voice.current;
    tone.frequency.setTargetAtTime(pitch(stops), sound.currentTime, GLIDE_S);
  }, [stops]);
}
