import { type PointerEvent, useEffect, useRef, useState } from "react";

/** x, y, width, height of what is shown, in the drawing's own units. */
export type Box = [number, number, number, number];

const CLOSEST = 24;

/** A box zoomed about a point that stays where it is; never wider than the whole, never closer than 24 times. */
export function zoomed(box: Box, whole: Box, factor: number, at: [number, number]): Box {
  const [x, y, width, height] = box;
  const wide = Math.min(Math.max(width / factor, whole[2] / CLOSEST), whole[2]);
  const share = wide / width;
  return kept([at[0] - (at[0] - x) * share, at[1] - (at[1] - y) * share, wide, height * share], whole);
}

/** A box moved so that its middle stays inside the whole. */
export function kept([x, y, width, height]: Box, whole: Box): Box {
  const within = (low: number, span: number, from: number, length: number) =>
    Math.min(Math.max(low, from - span / 2), from + length - span / 2);
  if (width >= whole[2] * 0.999) return whole;
  return [within(x, width, whole[0], whole[2]), within(y, height, whole[1], whole[3]), width, height];
}

/** Zooming and panning by wheel, finger and key. Give `svg` to the drawing and `on` to it and to what has the focus. */
export function useView(whole: Box) {
  const [box, setBox] = useState<Box>(whole);
  const svg = useRef<SVGSVGElement>(null);
  const fingers = useRef(new Map<number, { x: number; y: number }>());
  const moved = useRef(0);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another map begins whole
  useEffect(() => setBox(whole), [whole.join()]);

  const scale = () => {
    const shown = svg.current?.getBoundingClientRect();
    return shown ? Math.max(box[2] / shown.width, box[3] / shown.height) : 1;
  };
  const place = (clientX: number, clientY: number): [number, number] => {
    const matrix = svg.current?.getScreenCTM();
    if (!matrix) return [box[0] + box[2] / 2, box[1] + box[3] / 2];
    const point = new DOMPoint(clientX, clientY).matrixTransform(matrix.inverse());
    return [point.x, point.y];
  };
  const middle = (): [number, number] => [box[0] + box[2] / 2, box[1] + box[3] / 2];
  const zoom = (factor: number, at: [number, number] = middle()) => setBox((old) => zoomed(old, whole, factor, at));
  const pan = (dx: number, dy: number) => setBox((old) => kept([old[0] + dx, old[1] + dy, old[2], old[3]], whole));

  useEffect(() => {
    const drawing = svg.current;
    if (!drawing) return;
    // React's own wheel listener may not keep the page from scrolling
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      zoom(Math.exp(-event.deltaY / 400), place(event.clientX, event.clientY));
    };
    drawing.addEventListener("wheel", wheel, { passive: false });
    return () => drawing.removeEventListener("wheel", wheel);
  });

  const drop = (event: PointerEvent) => {
    fingers.current.delete(event.pointerId);
  };
  const pointers = {
    onPointerDown(event: PointerEvent) {
      if (fingers.current.size === 0) moved.current = 0;
      fingers.current.set(event.pointerId, { x: event.clientX, y: event.clientY });
    },
    onPointerMove(event: PointerEvent) {
      const before = fingers.current.get(event.pointerId);
      if (!before) return;
      const now = { x: event.clientX, y: event.clientY };
      const others = [...fingers.current].filter(([id]) => id !== event.pointerId).map(([, finger]) => finger);
      fingers.current.set(event.pointerId, now);
      moved.current += Math.abs(now.x - before.x) + Math.abs(now.y - before.y);
      const other = others[0];
      if (other) {
        const span = (finger: { x: number; y: number }) => Math.hypot(finger.x - other.x, finger.y - other.y);
        zoom(span(now) / Math.max(span(before), 1), place((now.x + other.x) / 2, (now.y + other.y) / 2));
      } else if (moved.current > 5) {
        pan((before.x - now.x) * scale(), (before.y - now.y) * scale());
      }
    },
    onPointerUp: drop,
    onPointerLeave: drop,
    onPointerCancel: drop,
    /** The click that ends a drag chooses nothing. */
    onClickCapture(event: React.MouseEvent) {
      if (moved.current > 5) event.stopPropagation();
    },
  };
  const keys = (event: React.KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const step = box[2] / 8;
    const way = { arrowleft: [-1, 0], arrowright: [1, 0], arrowup: [0, -1], arrowdown: [0, 1] }[
      event.key.toLowerCase()
    ];
    if (way) pan((way[0] ?? 0) * step, (way[1] ?? 0) * step);
    else if (event.key === "+" || event.key === "=") zoom(1.4);
    else if (event.key === "-") zoom(1 / 1.4);
    else if (event.key === "0") setBox(whole);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const goTo = (x: number, y: number, closer: number) => {
    const [width, height] = [whole[2] / closer, whole[3] / closer];
    setBox(kept([x - width / 2, y - height / 2, width, height], whole));
  };
  return { box, near: whole[2] / box[2], svg, pointers, keys, zoom, goTo, all: () => setBox(whole) };
}
