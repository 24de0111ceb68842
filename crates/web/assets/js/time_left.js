// How long work still takes, from how it went since this page first saw it.

const BEGUN = new Map(); // For each piece of work: how far it was, and when.
const LEAST = 0.03; // Below so much progress nothing can be said.
const LONG_AGO = 60_000; // Milliseconds after which the pace of the beginning is no longer that of today.

// `, about 40 s left`, or nothing while that cannot be told.
export function timeLeft(key, share, now = performance.now()) {
  const known = BEGUN.get(key);
  if (!known || share < known.share) {
    BEGUN.set(key, { share, at: now });
    return "";
  }
  const made = share - known.share;
  if (made < LEAST || share >= 1) return "";
  const left = ((now - known.at) / made) * (1 - share);
  if (now - known.at > LONG_AGO) BEGUN.set(key, { share: known.share + made / 2, at: (now + known.at) / 2 });
  return `, about ${inWords(left / 1000)} left`;
}

function inWords(seconds) {
  if (seconds < 90) return `${Math.max(1, Math.ceil(seconds))} s`;
  return seconds < 5400 ? `${Math.round(seconds / 60)} min` : `${(seconds / 3600).toFixed(1)} h`;
}
