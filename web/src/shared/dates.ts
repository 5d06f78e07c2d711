/** A day and time as they are written everywhere: 27 Nov 2026, 21:54. */
export const dayAndTime = (when: string | Date) =>
  new Date(when).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' });

/** A time of today: 21:54:29. */
export const timeOfDay = (when: string | Date) => new Date(when).toLocaleTimeString('en-GB');
