import { useEffect, useState } from "react";

/** State that survives a reload: what a person typed is never lost. Kept in this browser only. */
export function useKept<T>(key: string, initial: T): [T, (value: T | ((before: T) => T)) => void] {
  const [value, setValue] = useState<T>(() => {
    try {
      const kept = localStorage.getItem(key);
      return kept === null ? initial : (JSON.parse(kept) as T);
    } catch {
      return initial;
    }
  });
  useEffect(() => {
    try {
      localStorage.setItem(key, JSON.stringify(value));
    } catch {
      // a full or forbidden store only means that a reload forgets
    }
  }, [key, value]);
  return [value, setValue];
}
