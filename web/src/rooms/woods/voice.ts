/** Reading a number by voice, where the browser can. */

type Heard = { results: { 0: { 0: { transcript: string } } } };
type Listener = {
  lang: string;
  onresult: (event: Heard) => void;
  onerror: () => void;
  onend: () => void;
  start: () => void;
};

function maker(): (new () => Listener) | undefined {
  const all = globalThis as unknown as Record<string, new () => Listener>;
  return all.SpeechRecognition ?? all.webkitSpeechRecognition;
}

export function mayListen(): boolean {
  return maker() !== undefined;
}

/** What was said, as a number in figures; null when nothing could be heard. */
export function listen(): Promise<string | null> {
  const Maker = maker();
  if (!Maker) return Promise.resolve(null);
  return new Promise((done) => {
    const listener = new Maker();
    listener.lang = "en-US";
    listener.onresult = (event) => done(figures(event.results[0][0].transcript));
    listener.onerror = () => done(null);
    listener.onend = () => done(null);
    listener.start();
  });
}

/** "24 point 5" and "24.5 inches" are 24.5. */
export function figures(said: string): string | null {
  const plain = said.toLowerCase().replace(/\s*(point|dot|comma)\s*/g, ".");
  return plain.match(/\d+(?:[.,]\d+)?/)?.[0].replace(",", ".") ?? null;
}
