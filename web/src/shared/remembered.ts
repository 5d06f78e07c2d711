import { useSyncExternalStore } from 'react';

import { useSlug } from '../api/hooks';

/** What people chose, typed or proposed in a project, as far as this browser keeps it. */
const values = new Map<string, unknown>();
const listeners = new Set<() => void>();

const keyOf = (slug: string, name: string) => `saltwort ${slug} ${name}`;

function stored(key: string): unknown {
  if (!values.has(key)) values.set(key, parsed(localStorage.getItem(key)));
  return values.get(key);
}

function parsed(text: string | null): unknown {
  try {
    return text === null ? undefined : JSON.parse(text);
  } catch {
    return undefined;
  }
}

function store(key: string, value: unknown) {
  values.set(key, value);
  try {
    if (value === undefined) localStorage.removeItem(key);
    else localStorage.setItem(key, JSON.stringify(value));
  } catch {
    // The browser keeps no more: this one lasts until the page is loaded again.
  }
  listeners.forEach((listener) => listener());
}

function subscribe(listener: () => void) {
  listeners.add(listener);
  return () => void listeners.delete(listener);
}

/** State of a project that outlives a reload, the back button, a walk to another step, and closing the window. */
export function useRemembered<T>(name: string, initial: T): [T, (next: T | ((before: T) => T)) => void] {
  const key = keyOf(useSlug(), name);
  const read = () => (stored(key) ?? initial) as T;
  const value = (useSyncExternalStore(subscribe, () => stored(key)) ?? initial) as T;
  const set = (next: T | ((before: T) => T)) => store(key, next instanceof Function ? next(read()) : next);
  return [value, set];
}

/** Keep values under names, where they are known only when something is done. */
export function useKeep() {
  const slug = useSlug();
  return (kept: Record<string, unknown>) =>
    Object.entries(kept).forEach(([name, value]) => store(keyOf(slug, name), value));
}

/** Forget what was kept under names, so that they begin anew. */
export function useForget() {
  const slug = useSlug();
  return (...names: string[]) => names.forEach((name) => store(keyOf(slug, name), undefined));
}
