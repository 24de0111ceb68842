// The scene as the server evaluated it: what is drawn on each frame, and the artwork that it is made of.

import { Artwork } from "./artwork.js";
import { ClipFrames } from "./clip_frames.js";
import { SceneWindows } from "./scene_windows.js";

const AT_ONCE = 40; // Bitmaps that are made before what they belong to is shown; more would keep it waiting.

export class Scene {
  // `changed` is called when it looks otherwise. `shift` is what a drag makes of one attachment.
  constructor(changed) {
    const clips = new ClipFrames(changed);
    Object.assign(this, { artwork: new Artwork(changed), clips, windows: null, shift: null });
  }

  // `fetch` asks the server; `ratio` says how many pixels are seen for each of the film; `come` is told of each part.
  open(fetch, ratio, come) {
    const ready = async (frame, known) => {
      const data = await fetch(frame, known);
      if (data.artwork) data.artwork = this.artwork.taken(data.artwork);
      // Not before its bitmaps are there: what is typed would flicker.
      await this.artwork.prepare((data.artwork ?? []).slice(0, AT_ONCE), ratio());
      return data;
    };
    this.windows = new SceneWindows(ready, (data) => {
      if (data.artwork) this.artwork.list = data.artwork;
      come();
    });
  }

  drawables(frame) {
    return this.windows?.drawables(frame) ?? [];
  }

  prepare(ratio) {
    return this.artwork.prepare(this.artwork.list, ratio);
  }
}
