//! How well points on filmed people, vehicles and buildings are held from one click.
//!
//! `cargo bench -p jampin-cli --profile dev --bench real -- FILMS POINTS.csv`: FILMS is a folder of films, POINTS.csv
//! has the columns `clip,point,frame,x,y,visible,accuracy_px,note` with pixel middles at whole numbers.
//! A third word names the points, a fourth where to begin: `marked,first,last,middle`, or `every`, which is once at each
//! visible label.
//! `REAL_WHOLE=1`: not from a point's first label to its last, but through the whole film, as on the bench.
//! `REAL_ABSENT=point:first-last,...`: frames on which somebody saw that a point is not in the picture; those after a
//! last label whose note begins with `out` are known.
//! `REAL_AREAS=57`: not a point but a box of so many pixels about it, as a flat face; with `REAL_KNOTS=14` as a surface
//! that bends, with a knot every so many pixels; `REAL_MOTION=Scale`: with no more of the motion than that (`Position`,
//! `Rotation`, `Affine`).

use std::collections::BTreeMap;
use std::path::Path;

use jampin_core::locate::Settings;
use rayon::prelude::*;

mod areas;
mod film;
mod labels;
mod points;

use film::{Film, film};
use labels::{Away, LabelCount, labels, starts_of};
use points::{Score, calibration, score};

/// What is solved, by name, with which settings of where the subject is; `None` for the whole solve. `REAL_ROUGH` asks
/// for only that, as it is or `REAL_WITHOUT` one of the parts by its name; `REAL_LEAVE_OUT` for all, one after the
/// other.
fn settings() -> Vec<(&'static str, Option<Settings>)> {
    let usual = Settings::default();
    let left_out = [
        ("no beam: one way", Settings { beam: 1, ..usual }),
        ("never hidden", Settings { hidden: false, ..usual }),
        ("no empty scene", Settings { plate: false, ..usual }),
        ("no size", Settings { scale: false, ..usual }),
        ("copies as frames", Settings { copies: false, ..usual }),
        ("no pace", Settings { pace: false, ..usual }),
        ("no camera", Settings { camera: false, ..usual }),
        ("no key pictures", Settings { strange: false, ..usual }),
        ("no colour", Settings { colour: false, ..usual }),
        ("no leaps", Settings { leaps: false, ..usual }),
        ("no alibi", Settings { alibi: false, ..usual }),
        ("any return", Settings { wary_of_returns: false, ..usual }),
        ("no ring", Settings { ring: false, ..usual }),
        ("box two thirds", Settings { side: 0.67, ..usual }),
        ("box four thirds", Settings { side: 1.33, ..usual }),
    ];
    let left_out = left_out.map(|(what, settings)| (what, Some(settings)));
    let only = ("only where it is", Some(usual));
    if std::env::var("REAL_ROUGH").is_ok() {
        let without = std::env::var("REAL_WITHOUT").unwrap_or_default();
        return vec![left_out.into_iter().find(|(what, _)| *what == without).unwrap_or(only)];
    }
    let mut all = vec![("all of it", None)];
    if std::env::var("REAL_LEAVE_OUT").is_ok() {
        all.push(only);
        all.extend(left_out);
    }
    all
}

fn main() {
    let words: Vec<String> = std::env::args().skip(1).filter(|word| word != "--bench").collect();
    let (films, points) = (Path::new(&words[0]), labels(&words[1]));
    let only: Option<Vec<&str>> = words.get(2).filter(|w| !w.is_empty()).map(|names| names.split(',').collect());
    let starts: Vec<&str> = words.get(3).map_or("marked,first,last,middle", String::as_str).split(',').collect();
    let mut names: Vec<&String> = points.keys().map(|(clip, _)| clip).collect();
    names.dedup();
    let all: BTreeMap<&String, Film> = names.par_iter().map(|name| (*name, film(&films.join(name)))).collect();
    if std::env::var("REAL_AREAS").is_ok() {
        return starts.iter().for_each(|which| areas::tell(&all, &points, only.as_deref(), which));
    }
    let settings = settings();
    let verbose = settings.len() == 1;
    for (what, settings) in settings {
        let mut summary = Vec::new();
        let mut sure: Vec<(f64, f64)> = Vec::new();
        let mut asked: Vec<bool> = Vec::new();
        for which in &starts {
            let wanted: Vec<_> = points
                .iter()
                .filter(|((_, point), _)| only.as_ref().is_none_or(|only| only.contains(&point.as_str())))
                .flat_map(|(key, labels)| starts_of(labels, which).into_iter().map(move |start| (key, labels, start)))
                .collect();
            let scores: Vec<Score> = wanted
                .par_iter()
                .map(|((clip, point), labels, start)| score(&all[clip], point, labels, start, settings))
                .collect();
            if verbose {
                println!("-- {which}");
                scores.iter().for_each(|score| println!("{}", score.line));
            }
            asked.extend(scores.iter().filter_map(|score| score.asked));
            sure.extend(scores.iter().flat_map(|score| &score.sure));
            let held = scores.iter().filter(|score| score.held).count();
            let frames: usize = scores.iter().map(|score| score.frames).sum();
            let seconds: f64 = scores.iter().map(|score| score.seconds).sum();
            println!("{which}: {}", LabelCount::of_all(scores.iter().map(|score| &score.labels)));
            Away::tell_all(which, scores.iter().map(|score| score.away));
            summary.push(format!(
                "{which} {held} of {} ({:.1} ms a frame)",
                scores.len(),
                seconds * 1e3 / frames as f64
            ));
        }
        println!("{what:18}: {}", summary.join(", "));
        if !asked.is_empty() {
            let count = asked.iter().filter(|asked| **asked).count();
            println!("  a correction is needed: among the first two worth a look in {count} of {}", asked.len());
        }
        calibration(&mut sure);
    }
}
