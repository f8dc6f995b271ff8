/** A moment as it is said: an ISO time, or seconds since 1970. */
export const dated = (at: string | number) =>
  new Date(typeof at === "number" ? at * 1000 : at).toLocaleString(undefined, {
    dateStyle: "medium",
    timeStyle: "short",
  });
