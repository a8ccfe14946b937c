import { NumberField } from "../../kit";
import type { Shapes } from "../../lib/api";

type Load = Shapes["LoadIn"];

/** Sap that trucks bring: when, how much, how sweet. */
export function Loads({ loads, onLoads }: { loads: Load[]; onLoads: (loads: Load[]) => void }) {
  const set = (index: number, value: Partial<Load>) =>
    onLoads(loads.map((load, k) => (k === index ? { ...load, ...value } : load)));
  return (
    <div>
      {loads.map((load, k) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: loads have no name but their place in the list
        <div key={k} className="grid grid-cols-[1fr_1fr_1fr_auto] items-end gap-x-4">
          <NumberField
            label={`load ${k + 1}, in`}
            dimension="plain"
            unit="h"
            digits={1}
            si={load.at_h}
            onSi={(si) => si !== null && set(k, { at_h: si })}
          />
          <NumberField
            label="brings"
            dimension="volume"
            si={load.volume_m3}
            onSi={(si) => si !== null && set(k, { volume_m3: si })}
          />
          <NumberField
            label="sugar"
            dimension="brix"
            si={load.brix}
            onSi={(si) => si !== null && set(k, { brix: si })}
          />
          <button
            type="button"
            className="pb-1 text-label text-soft underline"
            onClick={() => onLoads(loads.filter((_, other) => other !== k))}
          >
            drop
          </button>
        </div>
      ))}
      {loads.length < 12 && (
        <button
          type="button"
          className="text-label underline"
          onClick={() => onLoads([...loads, { at_h: loads.length + 1, volume_m3: 2, brix: 2 }])}
        >
          a load by truck
        </button>
      )}
    </div>
  );
}
