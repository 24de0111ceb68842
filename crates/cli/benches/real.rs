//! How well points on filmed people, vehicles and buildings are held from one click.
//!
//! `cargo bench -p jampin-cli --profile dev --bench real -- FILMS POINTS.csv`: FILMS is a folder of films, POINTS.csv has the columns
//! `clip,point,frame,x,y,visible,accuracy_px,note` with pixel middles at whole numbers.

use std::collections::BTreeMap;
use std::convert::Infallible;
use std::path::Path;
use std::process::Command;
use std::time::Instant;

use jampin_core::geometry::{PixelRect, Point, Size};
use jampin_core::image::{Component, FrameSource, Plane, Scene, SceneFinder, Window};
use jampin_core::locate::{Pass, Settings, Sighting};
use jampin_core::time::{Frame, FrameRange};
use rayon::prelude::*;

#[derive(Clone, Debug)]
struct Label {
    frame: u32,
    at: Point,
    visible: bool,
    accuracy: f64,
    marked: bool,
}

struct Film {
    size: Size,
    planes: Vec<Plane>,
    scene: Scene,
    cuts: Vec<Frame>,
}

struct Shared<'a>(&'a Film);

impl FrameSource for Shared<'_> {
    type Error = Infallible;
    fn size(&self) -> Size {
        self.0.size
    }
    fn window(&mut self, frame: Frame, rect: PixelRect, _: Component) -> Result<Window, Infallible> {
        Ok(self.0.planes[frame.0 as usize].window(rect))
    }
}

fn film(path: &Path) -> Film {
    let words = |args: &[&str]| {
        let out = Command::new("ffprobe").args(["-v", "error", "-select_streams", "v:0"]).args(args).arg(path).output();
        String::from_utf8(out.unwrap().stdout).unwrap()
    };
    let shape = words(&["-show_entries", "stream=width,height", "-of", "csv=p=0"]);
    let mut numbers = shape.trim().split(',').map(|word| word.parse().unwrap());
    let size = Size::new(numbers.next().unwrap(), numbers.next().unwrap());
    let out = Command::new("ffmpeg")
        .args(["-v", "error", "-i"])
        .arg(path)
        .args(["-map", "0:v:0", "-fps_mode", "passthrough", "-vf", "extractplanes=y", "-f", "rawvideo", "pipe:1"])
        .output()
        .unwrap();
    let planes: Vec<Plane> = out.stdout.chunks_exact(size.area()).map(|data| Plane::new(size, data.to_vec()).unwrap()).collect();
    let mut finder = SceneFinder::default();
    let mut cuts = jampin_core::image::CutFinder::default();
    for plane in &planes {
        finder.push(plane);
        cuts.push(plane);
    }
    Film { size, planes, scene: finder.finish(), cuts: cuts.cuts().to_vec() }
}

type Points = BTreeMap<(String, String), Vec<Label>>;

fn labels(path: &str) -> Points {
    let text = std::fs::read_to_string(path).unwrap();
    let mut points = Points::new();
    for line in text.lines().skip(1).filter(|line| !line.starts_with('#')) {
        let cells: Vec<&str> = line.splitn(8, ',').collect();
        let number = |i: usize| cells[i].parse::<f64>().unwrap_or(f64::NAN);
        let label = Label {
            frame: cells[2].parse().unwrap(),
            at: Point::new(number(3) + 0.5, number(4) + 0.5),
            visible: cells[5] == "1",
            accuracy: if number(6).is_nan() { 2.0 } else { number(6) },
            marked: cells[7].starts_with("start"),
        };
        points.entry((cells[0].into(), cells[1].into())).or_default().push(label);
    }
    points.values_mut().for_each(|labels| labels.sort_by_key(|label| label.frame));
    points
}

struct Score {
    held: bool,
    line: String,
    frames: usize,
    seconds: f64,
}

fn side_for(film: &Film, settings: &Settings) -> f64 {
    settings.side * (f64::from(film.size.height) / 360.0).clamp(1.0, 6.0)
}

fn located(film: &Film, start: &Label, range: FrameRange, settings: Settings) -> Vec<Sighting> {
    let mut source = Shared(film);
    let range = jampin_core::follow::shot_part(range, &film.cuts, Frame(start.frame));
    let side = side_for(film, &settings);
    let part = jampin_core::follow::shot_part(FrameRange { first: Frame(0), last: Frame(film.planes.len() as u32 - 1) }, &film.cuts, Frame(start.frame));
    let plate = film.scene.plate(part, film.size);
    let inside = film.scene.inside(part, film.size);
    let from = (Frame(start.frame), start.at, side);
    let mut all: Vec<Sighting> = Vec::new();
    let go = |source: &mut Shared<'_>, velocity: Option<Point>, frames: &mut dyn Iterator<Item = u32>| {
        let mut pass = Pass::start(source, (&film.scene, inside, plate.as_ref()), from, velocity, settings).unwrap();
        for frame in frames {
            pass.step(source, Frame(frame)).unwrap();
        }
        (pass.finish(), pass.early_velocity())
    };
    let (later, onward) = go(&mut source, None, &mut (start.frame + 1..=range.last.0));
    let (earlier, back) = go(&mut source, onward.map(|v| v * -1.0), &mut (range.first.0..start.frame).rev());
    all.extend(earlier);
    if onward.is_none() && back.is_some() {
        all.extend(go(&mut source, back.map(|v| v * -1.0), &mut (start.frame + 1..=range.last.0)).0);
    } else {
        all.extend(later);
    }
    all
}

fn score(film: &Film, name: &str, labels: &[Label], start: &Label, settings: Settings) -> Score {
    let range = FrameRange { first: Frame(labels[0].frame), last: Frame(labels[labels.len() - 1].frame) };
    let begun = Instant::now();
    let sightings: BTreeMap<u32, Sighting> =
        located(film, start, range, settings).into_iter().map(|sighting| (sighting.frame.0, sighting)).collect();
    let seconds = begun.elapsed().as_secs_f64();
    let error = |label: &Label| {
        sightings.get(&label.frame).filter(|sighting| sighting.seen).map(|sighting| sighting.at.distance(label.at))
    };
    let visible: Vec<&Label> = labels.iter().filter(|label| label.visible && label.frame != start.frame).collect();
    let mut known: Vec<(f64, u32)> = visible.iter().filter_map(|label| Some((error(label)?, label.frame))).collect();
    known.sort_by(|a, b| a.0.total_cmp(&b.0));
    let missing = visible.len() - known.len();
    let middle = if known.is_empty() {
        f64::NAN
    } else {
        (known[(known.len() - 1) / 2].0 + known[known.len() / 2].0) / 2.0
    };
    let worst = known.last().copied().unwrap_or((f64::NAN, 0));
    let mut accuracies: Vec<f64> = labels.iter().map(|label| label.accuracy).collect();
    accuracies.sort_by(f64::total_cmp);
    let accuracy = accuracies[accuracies.len() / 2];
    let hidden = labels.iter().filter(|label| !label.visible).count();
    let wrong = labels.iter().filter(|label| !label.visible && error(label).is_some()).count();
    let held = !known.is_empty()
        && middle <= (2.0f64).max(2.0 * accuracy)
        && worst.0 <= 8.0
        && missing as f64 <= 0.1 * visible.len() as f64;
    let line = format!(
        "{name:20} {} median {middle:6.2} worst {:6.1} at {:4} not found {missing:2} of {:2} hidden found {wrong} of {hidden} {:4.1} ms/frame",
        if held { "held" } else { "LOST" },
        worst.0,
        worst.1,
        visible.len(),
        seconds * 1e3 / f64::from(range.count())
    );
    if std::env::var("REAL_TRACE").is_ok() {
        for label in labels {
            let sighting = sightings.get(&label.frame);
            println!("   {name} {:4} {} label {:6.1} {:6.1} {:?}", label.frame, u8::from(label.visible), label.at.x, label.at.y,
                sighting.map(|s| format!("{} {:6.1} {:6.1} off {:5.1} like {:.2} growth {:.2} learned {}", if s.seen { "seen" } else { "    " }, s.at.x, s.at.y, s.at.distance(label.at), s.likeness, s.growth, u8::from(s.learned))));
        }
    }
    Score { held, line, frames: range.count() as usize, seconds }
}

fn start_of<'a>(labels: &'a [Label], which: &str) -> &'a Label {
    let clear: Vec<&Label> = labels.iter().filter(|label| label.visible).collect();
    match which {
        "first" => clear[0],
        "last" => clear[clear.len() - 1],
        "middle" => clear[clear.len() / 2],
        _ => clear.iter().find(|label| label.marked).unwrap_or(&clear[0]),
    }
}

fn main() {
    let words: Vec<String> = std::env::args().skip(1).filter(|word| word != "--bench").collect();
    let (films, points) = (Path::new(&words[0]), labels(&words[1]));
    let only: Option<Vec<&str>> = words.get(2).filter(|w| !w.is_empty()).map(|names| names.split(',').collect());
    let starts: Vec<&str> = words.get(3).map_or("marked,first,last,middle", String::as_str).split(',').collect();
    let mut names: Vec<&String> = points.keys().map(|(clip, _)| clip).collect();
    names.dedup();
    let all: BTreeMap<&String, Film> = names.par_iter().map(|name| (*name, film(&films.join(name)))).collect();
    let mut settings = vec![("all of it", Settings::default())];
    if std::env::var("REAL_LEAVE_OUT").is_ok() {
        let usual = Settings::default();
        settings.extend([
            ("no beam: one way", Settings { beam: 1, ..usual }),
            ("never hidden", Settings { hidden: false, ..usual }),
            ("no empty scene", Settings { plate: false, ..usual }),
            ("no size", Settings { scale: false, ..usual }),
            ("copies as frames", Settings { copies: false, ..usual }),
            ("no pace", Settings { pace: false, ..usual }),
            ("no camera", Settings { camera: false, ..usual }),
            ("no key pictures", Settings { strange: false, ..usual }),
            ("no leaps", Settings { leaps: false, ..usual }),
            ("no ring", Settings { ring: false, ..usual }),
            ("box of 17", Settings { side: 17.0, ..usual }),
            ("box of 33", Settings { side: 33.0, ..usual }),
        ]);
    }
    let verbose = settings.len() == 1;
    for (what, settings) in settings {
        let mut summary = Vec::new();
        for which in &starts {
            let wanted: Vec<_> = points
                .iter()
                .filter(|((_, point), _)| only.as_ref().is_none_or(|only| only.contains(&point.as_str())))
                .collect();
            let scores: Vec<Score> = wanted
                .par_iter()
                .map(|((clip, point), labels)| score(&all[clip], point, labels, start_of(labels, which), settings))
                .collect();
            if verbose {
                println!("-- {which}");
                scores.iter().for_each(|score| println!("{}", score.line));
            }
            let held = scores.iter().filter(|score| score.held).count();
            let frames: usize = scores.iter().map(|score| score.frames).sum();
            let seconds: f64 = scores.iter().map(|score| score.seconds).sum();
            summary.push(format!("{which} {held} of {} ({:.1} ms a frame)", scores.len(), seconds * 1e3 / frames as f64));
        }
        println!("{what:18}: {}", summary.join(", "));
    }
}
