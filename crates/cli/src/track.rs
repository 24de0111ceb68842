//! `jampin track`: follow pins and areas through a film, without server or database.

use std::path::Path;

use anyhow::Context;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use jampin_core::area::{AreaEnd, AreaTask, solve_area};
use jampin_core::follow::shot_part;
use jampin_core::formats::{AreaRequest, FrameCount, NamedTrack, PinFile, PinRequest, samples_csv};
use jampin_core::geometry::{PixelRect, Point};
use jampin_core::image::{Component, FrameSource, Scene};
use jampin_core::matching::{NEIGHBOURHOOD, choose_pattern, choose_search};
use jampin_core::mesh::{MeshEnd, MeshTask, solve_mesh};
use jampin_core::pin::Pin;
use jampin_core::solve::{Film as Seen, Solution, Unwatched, solve};
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{Sample, Track};
use jampin_media::{
    Cancel, ClipFolder, ClipInfo, Leave, MediaError, Prepared, StoredPlanes, Tools, WhenMissing, prepare,
    prepare_colour, probe,
};
use rayon::prelude::*;
use uuid::Uuid;

use crate::args::TrackArgs;
use crate::error::bad_input;
use crate::output::write;

/// Frames read to each side of a range, for what the empty scene looks like and how fast the film goes.
const SURROUNDINGS: u32 = 300;

pub(crate) fn run(args: &TrackArgs) -> anyhow::Result<()> {
    let text = std::fs::read_to_string(&args.pins)
        .map_err(|error| bad_input(format!("the pins file {} cannot be read: {error}", args.pins.display())))?;
    let file = PinFile::parse(&text).map_err(bad_input)?;
    let scratch = tempfile::tempdir().context("no room for frames")?;
    let in_colour = file.pins.iter().any(|pin| pin.channel.needs_colour());
    let tools = crate::sandboxed::tools(args.no_sandbox)?;
    let film = Film::open(&tools, (&args.clip, scratch.path()), in_colour, args.range.as_deref())?;
    let range = range_of(args.range.as_deref(), film.frames)?;
    file.pins.iter().try_for_each(|pin| check(pin, &film, range))?;
    let areas = file.areas.iter().map(|request| area_of(request, &film, range)).collect::<Result<Vec<_>, _>>()?;
    // With few pins, several threads work on one.
    let each = args.threads.div_ceil(file.pins.len().max(1)).max(1);
    let threads = rayon::ThreadPoolBuilder::new().num_threads(args.threads.max(1)).build()?;
    let (pins, areas) = threads.install(|| {
        rayon::join(
            || file.pins.par_iter().map(|pin| film.solve(pin, range, each)).collect::<Result<Vec<_>, _>>(),
            || {
                areas
                    .par_iter()
                    .map(|(request, area)| film.solve_surface(request, area, range))
                    .collect::<Result<Vec<_>, _>>()
            },
        )
    });
    let names = file.pins.iter().map(|pin| pin.name.clone());
    let pins = names.zip(pins.map_err(media_error)?);
    let tracks: Vec<(String, Track)> = pins.chain(areas.map_err(media_error)?.into_iter().flatten()).collect();
    let named: Vec<NamedTrack<'_>> = tracks.iter().map(|(name, track)| NamedTrack { name, track }).collect();
    write(&args.out, &samples_csv(&named, range, FrameCount::From(0)))
}

fn area_of<'a>(
    request: &'a AreaRequest,
    film: &Film,
    range: FrameRange,
) -> anyhow::Result<(&'a AreaRequest, AreaTask)> {
    let area = request.checked(film.info.size, range);
    Ok((request, area.map_err(|problem| bad_input(format!("area {:?}: {problem}", request.name)))?))
}

fn media_error(error: MediaError) -> anyhow::Error {
    match error {
        MediaError::BadInput(_) | MediaError::Limit(_) => bad_input(error),
        other => other.into(),
    }
}

fn check(pin: &PinRequest, film: &Film, range: FrameRange) -> anyhow::Result<()> {
    let inside = |frame: Frame| {
        range.contains(frame).then_some(()).ok_or_else(|| {
            bad_input(format!("pin {:?}: frame {frame} is not in {}..{}", pin.name, range.first, range.last))
        })
    };
    inside(pin.frame)?;
    pin.guides.iter().try_for_each(|guide| inside(guide.frame))?;
    let settings = make_pin(pin, pin.pattern.given().unwrap_or([31; 2]), pin.search.given().unwrap_or([64; 2]));
    settings.check(film.info.size).map_err(|problem| bad_input(format!("pin {:?}: {problem}", pin.name)))
}

fn make_pin(request: &PinRequest, pattern: [u32; 2], search: [u32; 2]) -> Pin {
    Pin {
        motion: request.motion,
        channel: request.channel,
        reference: request.reference,
        filter: request.filter,
        stop_below: request.stop_below,
        ..Pin::new(Uuid::nil(), request.frame, request.at(), pattern, search)
    }
}

/// The range as it was asked for, of a film of so many frames.
fn range_of(text: Option<&str>, frames: u32) -> anyhow::Result<FrameRange> {
    let whole = FrameRange { first: Frame(0), last: Frame(frames.saturating_sub(1)) };
    let Some(text) = text else { return Ok(whole) };
    let parsed = text
        .split_once("..")
        .and_then(|(first, last)| FrameRange::new(Frame(first.trim().parse().ok()?), Frame(last.trim().parse().ok()?)));
    parsed.filter(|range| range.last <= whole.last).ok_or_else(|| {
        bad_input(format!("the range {text:?} is none of this film; write FIRST..LAST within 0..{}", whole.last))
    })
}

/// What has to be read to follow something over a range: so much around it tells what the film as a whole is like.
fn with_surroundings(range: FrameRange, frames: u32) -> FrameRange {
    let last = range.last.0.saturating_add(SURROUNDINGS).min(frames.saturating_sub(1));
    FrameRange { first: Frame(range.first.0.saturating_sub(SURROUNDINGS)), last: Frame(last) }
}

type NamedTracks = Vec<(String, Track)>;

/// A film with its planes.
struct Film {
    info: ClipInfo,
    frames: u32,
    /// The frames that were read.
    known: FrameRange,
    cuts: Vec<Frame>,
    scene: Scene,
    folder: ClipFolder,
}

impl Film {
    /// Decodes the film once (twice when a pin looks at colour), or what is needed for a range of it; its planes are
    /// kept in `scratch` for as long as they are needed.
    fn open(
        tools: &Tools,
        (clip, scratch): (&Path, &Path),
        in_colour: bool,
        range: Option<&str>,
    ) -> anyhow::Result<Self> {
        let clip = clip
            .canonicalize()
            .map_err(|error| bad_input(format!("the film {} cannot be read: {error}", clip.display())))?;
        let folder = ClipFolder::new(scratch.to_owned());
        std::os::unix::fs::symlink(&clip, folder.original())?;
        let (info, table) = probe(tools, &folder.original()).map_err(media_error)?;
        let leave = match range {
            Some(_) => Leave::PlanesOf(with_surroundings(range_of(range, table.len())?, table.len())),
            None => Leave::Planes,
        };
        let bar = ProgressBar::with_draw_target(Some(table.len().into()), ProgressDrawTarget::stderr());
        bar.set_style(ProgressStyle::with_template("{msg} {wide_bar} {pos}/{len} {eta}")?);
        bar.set_message("reading");
        let mut progress = |done: jampin_media::Progress| bar.set_position(done.frames.into());
        let prepared =
            prepare(tools, &folder, (&info, &table), leave, &Cancel::default(), &mut progress).map_err(media_error)?;
        if in_colour {
            bar.set_message("reading colour");
            prepare_colour(tools, &folder, (&info, prepared.table.len()), &Cancel::default(), &mut progress)
                .map_err(media_error)?;
        }
        bar.finish_and_clear();
        let Prepared { table, range, cuts, scene, .. } = prepared;
        Ok(Self { info, frames: table.len(), known: range, cuts, scene, folder })
    }

    fn planes(&self) -> StoredPlanes {
        StoredPlanes::new(self.folder.planes(), self.info.size, WhenMissing::fail())
    }

    /// Solves for one pin over the part of the range that no cut separates from it.
    fn solve(&self, request: &PinRequest, range: FrameRange, threads: usize) -> Result<Track, MediaError> {
        let mut planes = self.planes();
        let part = shot_part(range, &self.cuts, request.frame);
        let pin = self.settle(request, &mut planes, part)?;
        let guides = request.guides.iter().map(|guide| (guide.frame, Sample::guide(Point::new(guide.x, guide.y))));
        let track: Track = guides.collect();
        let mut sources: Vec<StoredPlanes> = (0..threads).map(|_| planes.another()).collect();
        let view = Seen { scene: &self.scene, part: shot_part(self.known, &self.cuts, request.frame) };
        match solve(&mut sources, view, &pin, &track, part, &Unwatched)? {
            Solution::Solved(track) => Ok(track),
            Solution::Stopped => unreachable!("nobody says stop"),
            Solution::FlatPattern(frame) => Err(MediaError::BadInput(format!(
                "pin {:?}: the pattern on frame {frame} is flat; move it to a spot with contrast",
                request.name
            ))),
        }
    }

    /// Of every point of an area's outline, and of every knot of a surface that bends, the samples under a name of its
    /// own.
    fn solve_surface(
        &self,
        request: &AreaRequest,
        area: &AreaTask,
        range: FrameRange,
    ) -> Result<Vec<(String, Track)>, MediaError> {
        let (name, part) = (&request.name, shot_part(range, &self.cuts, area.frame));
        let solved = match request.knots {
            Some(spacing) => self.solve_bent(name, &MeshTask { area: area.clone(), spacing }, part)?,
            None => self.solve_flat(name, area, part)?,
        };
        solved.ok_or_else(|| {
            MediaError::BadInput(format!(
                "area {name:?}: there is nothing in it on frame {} that could be followed; draw it round something with \
                 contrast or a clear edge",
                area.frame
            ))
        })
    }

    /// `None` where there is nothing to follow; so below.
    fn solve_flat(&self, name: &str, area: &AreaTask, part: FrameRange) -> Result<Option<NamedTracks>, MediaError> {
        let film = Seen { scene: &self.scene, part };
        let solution = match solve_area(&mut self.planes(), film, area, &mut ())? {
            AreaEnd::Solved(solution) => solution,
            AreaEnd::Stopped => unreachable!("nobody says stop"),
            AreaEnd::Flat => return Ok(None),
        };
        let track =
            |point: &Point| solution.places.iter().map(|(frame, place)| (*frame, place.sample(*point))).collect();
        Ok(Some(area.outline.0.iter().enumerate().map(|(i, point)| (format!("{name}/{i}"), track(point))).collect()))
    }

    fn solve_bent(&self, name: &str, task: &MeshTask, part: FrameRange) -> Result<Option<NamedTracks>, MediaError> {
        let film = Seen { scene: &self.scene, part };
        let (net, frames) = match solve_mesh(&mut self.planes(), film, task, &mut ())? {
            MeshEnd::Solved(net, frames) => (net, frames),
            MeshEnd::Stopped => unreachable!("nobody says stop"),
            MeshEnd::Flat => return Ok(None),
        };
        let knot = |knot: usize| frames.iter().map(move |(frame, knots)| (*frame, knots[knot])).collect();
        Ok(Some((0..net.knots.len()).map(|i| (format!("{name}/knot {i}"), knot(i))).collect()))
    }

    fn settle(&self, request: &PinRequest, planes: &mut StoredPlanes, part: FrameRange) -> Result<Pin, MediaError> {
        let at = request.at();
        let pattern = match request.pattern.given() {
            Some(given) => given,
            None => {
                let window = planes.window(
                    request.frame,
                    PixelRect::around(at, NEIGHBOURHOOD, NEIGHBOURHOOD),
                    Component::Luma,
                )?;
                [choose_pattern(&window, at).side; 2]
            }
        };
        let search = match request.search.given() {
            Some(given) => given,
            None => {
                let steps = [1, -1].into_iter().filter_map(|step| request.frame.step(step));
                let neighbour = steps.into_iter().find(|frame| part.contains(*frame));
                [choose_search(planes, request.frame, neighbour, at, pattern[0].max(pattern[1]))?; 2]
            }
        };
        Ok(make_pin(request, pattern, search))
    }
}
