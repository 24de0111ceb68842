//! Shots as film files, with the truth beside them.

use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use anyhow::{Context, ensure};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use crate::Shot;

/// Frames exposed at once: enough for every core, few enough for memory.
const BATCH: u32 = 16;

/// A film on disk with the truth beside it.
#[derive(Clone, Debug)]
pub struct DemoFilm {
    /// The film.
    pub film: PathBuf,
    /// The truth, as JSON.
    pub truth: PathBuf,
}

/// Where named points of a shot are on every frame.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Truth {
    /// Name of the shot.
    pub shot: String,
    /// The points.
    pub points: Vec<TruthPoint>,
}

/// One named point.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct TruthPoint {
    /// Its name.
    pub name: String,
    /// Its place on each frame at the middle of the exposure, in picture coordinates.
    pub place: Vec<[f64; 2]>,
    /// Whether it can be seen on each frame.
    pub visible: Vec<bool>,
}

impl Truth {
    /// The truth about a shot.
    pub fn of(shot: &Shot) -> Self {
        let points = shot.points().iter().map(|point| TruthPoint {
            name: point.name.to_owned(),
            place: (0..shot.frames).map(|frame| shot.place(point, frame)).map(|at| [at.x, at.y]).collect(),
            visible: (0..shot.frames).map(|frame| shot.is_visible(point, frame)).collect(),
        });
        Self { shot: shot.name.to_owned(), points: points.collect() }
    }

    /// The point of this name.
    pub fn point(&self, name: &str) -> Option<&TruthPoint> {
        self.points.iter().find(|point| point.name == name)
    }
}

/// Writes film and truth into a folder, unless they are there. `progress` is told of frames done and frames in all.
pub fn write_film(shot: &Shot, folder: &Path, progress: &mut dyn FnMut(u32, u32)) -> anyhow::Result<DemoFilm> {
    std::fs::create_dir_all(folder).context("no room for demo films")?;
    let film = folder.join(format!("{}.mp4", shot.name));
    let truth = folder.join(format!("{}.truth.json", shot.name));
    if !film.exists() || !truth.exists() {
        std::fs::write(&truth, serde_json::to_string(&Truth::of(shot))?)?;
        let unfinished = film.with_extension("part");
        encode(shot, &unfinished, progress)?;
        std::fs::rename(&unfinished, &film)?;
    }
    Ok(DemoFilm { film, truth })
}

fn encode(shot: &Shot, path: &Path, progress: &mut dyn FnMut(u32, u32)) -> anyhow::Result<()> {
    let size = format!("{}x{}", shot.size.width, shot.size.height);
    let seconds = f64::from(shot.frames) / f64::from(shot.rate);
    // Wind and a distant hum: so that there is sound to keep.
    let sound =
        format!("anoisesrc=color=brown:amplitude=0.16:seed=7:duration={seconds},lowpass=f=700,tremolo=f=0.4:d=0.5");
    let tags = "-colorspace bt709 -color_primaries bt709 -color_trc bt709 -color_range tv";
    let mut encoder = Command::new("ffmpeg")
        .args(["-nostdin", "-hide_banner", "-loglevel", "error", "-y", "-f", "rawvideo", "-pix_fmt", "rgb24"])
        .args(["-s", &size, "-r", &shot.rate.to_string(), "-i", "pipe:0", "-f", "lavfi", "-i", &sound])
        .args(["-vf", "scale=out_color_matrix=bt709:out_range=tv,format=yuv420p", "-c:v", "libx264", "-crf", "17"])
        .args(["-preset", "medium", "-g", "125", "-c:a", "aac", "-b:a", "96k"])
        .args(tags.split(' '))
        .args(["-movflags", "+faststart", "-f", "mp4"])
        .arg(path)
        .stdin(Stdio::piped())
        .spawn()
        .context("ffmpeg cannot be started")?;
    let mut pipe = encoder.stdin.take().context("ffmpeg takes no frames")?;
    for first in (0..shot.frames).step_by(BATCH as usize) {
        let batch = first..(first + BATCH).min(shot.frames);
        let frames: Vec<Vec<u8>> = batch.clone().into_par_iter().map(|frame| shot.expose(frame)).collect();
        frames.iter().try_for_each(|frame| pipe.write_all(frame)).context("ffmpeg takes no more frames")?;
        progress(batch.end, shot.frames);
    }
    drop(pipe);
    ensure!(encoder.wait()?.success(), "ffmpeg could not write {}", path.display());
    Ok(())
}
