import { useEffect, useRef } from "react";
import { Button } from "../../kit";
import type { Shapes } from "../../lib/api";
import { span } from "../../lib/time";
import { figure } from "../../lib/units";
import { type BoilFacts, useBoilLetters } from "./action";

type Alarm = Shapes["PanAlarm"];

const SILENT_MS = 180_000;
const SILENT_AGAIN_MS = 20 * 60_000;

const WORDS: Record<string, (alarm: Alarm) => [string, string]> = {
  "dry-pan": (a) => [
    "The pans run dry",
    `${a.value > 0 ? `Concentrate for ${span(a.value)}. ` : ""}Cut the fire first, then look at the head tank and the float.`,
  ],
  "high-level": (a) => [`${a.tank} at its brim`, `${figure(100 * a.value, 0)} % full. Stop what fills it.`],
  "lost-readings": (a) => [
    `No ${a.tank} for ${span(a.value)}`,
    "Go and look: the pans boil and nothing is watching them.",
  ],
  "no-answer": (a) => [
    `No answer for ${span(a.value)}`,
    "What stands here is old and the pans boil: watch the level yourself. What you write is kept on this device.",
  ],
};

/** What cannot wait, over the whole screen and with a sound, until a key says that it was seen. */
export function Alarms({ facts, run, silentMs }: { facts: BoilFacts; run: Shapes["OpenRun"]; silentMs: number }) {
  const letters = useBoilLetters(run.number);
  const seenHere = useRef(new Map<string, number>());
  const silent = facts.hot && silentMs > SILENT_MS;
  const all: Alarm[] = silent
    ? [...facts.alarms, { key: "no-answer", value: silentMs / 60_000, tank: "", seen: false }]
    : facts.alarms;
  const open = all.filter((alarm) => {
    const here = seenHere.current.get(alarm.key + alarm.tank);
    const quiet = alarm.key === "no-answer" ? SILENT_AGAIN_MS : 60_000;
    return !alarm.seen && (here === undefined || Date.now() - here > quiet);
  });
  const first = open[0];
  useSound(first !== undefined);
  const button = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    if (first) button.current?.focus();
  }, [first]);
  if (!first) return null;
  const [title, text] = WORDS[first.key]?.(first) ?? [first.key, ""];
  const seen = () => {
    seenHere.current.set(first.key + first.tank, Date.now());
    void letters.send(`runs/${run.number}/entries`, (token, at) => ({
      kind: "alarm",
      text: title,
      key: first.key,
      tank: first.tank,
      token,
      at,
    }));
  };
  return (
    <div
      role="alertdialog"
      aria-label={title}
      className="fixed inset-0 z-50 flex flex-col items-center justify-center gap-8 bg-act p-6 text-center text-paper"
    >
      <p className="alarm-title font-semibold leading-none">{title}</p>
      <p className="text-answer">{text}</p>
      <Button ref={button} kind="big" className="min-w-72 bg-paper text-ink" onClick={seen}>
        I see it
      </Button>
      <p className="text-label">Enter does the same. Silent for twenty minutes, unless it changes.</p>
    </div>
  );
}

/** Two tones, again and again. Browsers play nothing before the first touch of the page. */
function useSound(on: boolean) {
  useEffect(() => {
    if (!on || typeof AudioContext === "undefined") return;
    const audio = new AudioContext();
    const beep = () => {
      for (const [k, hertz] of [880, 660, 880].entries()) {
        const tone = audio.createOscillator();
        const loud = audio.createGain();
        tone.frequency.value = hertz;
        loud.gain.value = 0.25;
        tone.connect(loud).connect(audio.destination);
        tone.start(audio.currentTime + k * 0.28);
        tone.stop(audio.currentTime + k * 0.28 + 0.2);
      }
    };
    beep();
    const timer = setInterval(beep, 2500);
    return () => {
      clearInterval(timer);
      void audio.close();
    };
  }, [on]);
}
