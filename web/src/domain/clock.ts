const DAY = 1440;

/** A minute of a day, or of days after it, as a clock shows it. */
export const clock = (minute: number) =>
  `${String(Math.floor((minute % DAY) / 60)).padStart(2, "0")}:${String(minute % 60).padStart(2, "0")}`;
