// Long work, in words.

const TITLES = {
  prepare: "Prepare",
  follow: "Follow",
  solve: "Solve",
  export: "Export",
  sequence: "Film of the project",
};
export const PRODUCTS = {
  mp4: "MP4",
  webm: "WebM",
  webm_graphics: "graphics, WebM",
  prores_graphics: "graphics, ProRes",
  png_graphics: "graphics, PNG",
};

const clock = (text) =>
  new Date(text).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", second: "2-digit" });

export function describeJob(job) {
  const progress = job.progress ?? {};
  const left = progress.seconds_left ? `, about ${Math.ceil(progress.seconds_left)} s left` : "";
  const what = PRODUCTS[job.payload.container];
  const texts = {
    waiting: `asked for at ${clock(job.created_at)}`,
    running: progress.of ? `${progress.frames} of ${progress.of} frames${left}` : "at work",
    done: job.result?.bytes
      ? `${(job.result.bytes / 1e6).toFixed(1)} MB, ${job.result.frames} frames, at ${clock(job.ended_at)}`
      : `at ${clock(job.ended_at)}`,
    failed: job.problem,
    cancelled: `stopped at ${clock(job.ended_at)}`,
  };
  const active = job.state === "waiting" || job.state === "running";
  const writes = job.kind === "export" || job.kind === "sequence";
  return {
    id: job.id,
    state: job.state,
    active,
    project: job.project,
    title: what ? `${TITLES[job.kind]}, ${what}` : TITLES[job.kind],
    about: job.about ?? "",
    href: job.shot_id ? `/shots/${job.shot_id}` : undefined,
    text: texts[job.state],
    share: progress.of ? progress.frames / progress.of : 0,
    removable: writes && !active,
    file: writes && job.state === "done" ? `/api/exports/${job.id}/film` : undefined,
  };
}
