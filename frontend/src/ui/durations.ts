/** How long something takes, as people say it: in steps of 5 s, then in minutes. */
export const aboutTime = (seconds: number): string =>
  seconds < 60 ? `about ${Math.max(5, Math.round(seconds / 5) * 5)} s` : `about ${Math.round(seconds / 60)} min`;
