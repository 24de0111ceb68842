// Long work, in words.
import { timeLeft } from "./time_left.js";

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

function atWork(progress) {
  if (progress.of) return `${progress.frames} of ${progress.of} frames`;
  if (progress.solving !== undefined) return `solving the whole shot, ${Math.floor(progress.solving * 100)} %`;
  return progress.found ? `${progress.found} frames found` : "at work";
}

// Only where there are several: a film may be written in pieces by some of them.
const onHosts = (hosts = []) => (hosts.length ? ` · on ${hosts.join(", ")}` : "");

export function describeJob(job) {
  const progress = job.progress ?? {};
  const share = progress.of ? progress.frames / progress.of : (progress.solving ?? 0);
  const left = job.state === "running" ? timeLeft(job.id, share) : "";
  const what = PRODUCTS[job.payload.container];
  const texts = {
    waiting: `asked for at ${clock(job.created_at)}${job.why ? `; ${job.why}` : ""}`,
    running: atWork(progress) + left + onHosts(job.hosts),
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
    share,
    removable: writes && !active,
    file: writes && job.state === "done" ? `/api/exports/${job.id}/film` : undefined,
  };
}
