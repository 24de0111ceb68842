//! The hand-read points.

use std::collections::BTreeMap;
use std::ops::RangeInclusive;

use jampin_core::geometry::Point;
use jampin_core::time::{Frame, FrameRange};

/// Where a point was seen on a frame, by eye.
#[derive(Clone, Debug)]
pub struct Label {
    pub frame: u32,
    pub at: Point,
    pub visible: bool,
    pub accuracy: f64,
    pub marked: bool,
    /// It has left the picture, and none of these films shows it again.
    pub is_gone: bool,
}

/// Whether a point is known not to be in the picture on a frame.
fn is_absent(name: &str, labels: &[Label], frame: u32) -> bool {
    let last = &labels[labels.len() - 1];
    last.is_gone && frame > last.frame || absences(name).iter().any(|range| range.contains(&frame))
}

/// Frames on which a point is known not to be in the picture.
#[derive(Clone, Copy, Default)]
pub struct Away {
    /// Called found on so many of them.
    found: usize,
    frames: usize,
}

impl Away {
    /// From each frame, and whether it is called found there.
    pub fn of(name: &str, labels: &[Label], told: impl Iterator<Item = (u32, bool)>) -> Self {
        told.filter(|(frame, _)| is_absent(name, labels, *frame)).fold(Self::default(), |so_far, (_, is_found)| Self {
            found: so_far.found + usize::from(is_found),
            frames: so_far.frames + 1,
        })
    }

    /// What the line of one point says of it.
    pub fn in_line(self) -> String {
        if self.frames > 0 { format!(", found when away {} of {}", self.found, self.frames) } else { String::new() }
    }

    /// Says it of all points together, if there is something to say.
    pub fn tell_all(which: &str, all: impl Iterator<Item = Self>) {
        let Self { found, frames } = all.fold(Self::default(), |so_far, one| Self {
            found: so_far.found + one.found,
            frames: so_far.frames + one.frames,
        });
        if frames > 0 {
            println!("{which}: called found on {found} of {frames} frames on which it is not in the picture");
        }
    }
}

/// The frames that are gone through: from a point's first label to its last, or the whole film.
pub fn asked_for(labels: &[Label], whole: FrameRange) -> FrameRange {
    let (first, last) = (Frame(labels[0].frame), Frame(labels[labels.len() - 1].frame));
    if std::env::var("REAL_WHOLE").is_ok() { whole } else { FrameRange { first, last } }
}

/// By film and name.
pub type Points = BTreeMap<(String, String), Vec<Label>>;

pub fn labels(path: &str) -> Points {
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
            is_gone: cells[7].starts_with("out"),
        };
        points.entry((cells[0].into(), cells[1].into())).or_default().push(label);
    }
    points.values_mut().for_each(|labels| labels.sort_by_key(|label| label.frame));
    points
}

/// Frames on which a point is not in the picture, as `REAL_ABSENT` has them.
fn absences(point: &str) -> Vec<RangeInclusive<u32>> {
    let all = std::env::var("REAL_ABSENT").unwrap_or_default();
    let one = |word: &str| {
        let (_, frames) = word.split_once(':').filter(|(name, _)| *name == point)?;
        let (first, last) = frames.split_once('-').expect("first-last");
        Some(first.parse().expect("a frame")..=last.parse().expect("a frame"))
    };
    all.split(',').filter_map(one).collect()
}

/// Half of the labels are as accurate as this, in pixels.
pub fn usual_accuracy(labels: &[Label]) -> f64 {
    let mut accuracies: Vec<f64> = labels.iter().map(|label| label.accuracy).collect();
    accuracies.sort_by(f64::total_cmp);
    accuracies[accuracies.len() / 2]
}

/// The labels to begin at.
pub fn starts_of<'a>(labels: &'a [Label], which: &str) -> Vec<&'a Label> {
    let clear: Vec<&Label> = labels.iter().filter(|label| label.visible).collect();
    match which {
        "every" => clear,
        "first" => vec![clear[0]],
        "last" => vec![clear[clear.len() - 1]],
        "middle" => vec![clear[clear.len() / 2]],
        _ => vec![clear.iter().find(|label| label.marked).unwrap_or(&clear[0])],
    }
}

/// Labels but the one that was begun at, by what became of them.
#[derive(Default)]
pub struct LabelCount {
    visible: usize,
    right: usize,
    far: usize,
    missing: usize,
    hidden: usize,
    hidden_found: usize,
    hidden_far: usize,
}

/// Further off than this, in pixels, is wrong.
pub const FAR: f64 = 8.0;

impl LabelCount {
    /// `error` says how far off a label is what was found; nothing where it was not.
    pub fn of(labels: &[Label], start: &Label, error: impl Fn(&Label) -> Option<f64>) -> Self {
        let near = (2.0f64).max(2.0 * usual_accuracy(labels));
        let (visible, hidden): (Vec<&Label>, Vec<&Label>) = labels.iter().partition(|label| label.visible);
        let found: Vec<Option<f64>> =
            visible.into_iter().filter(|label| label.frame != start.frame).map(&error).collect();
        let within = |is_in: &dyn Fn(f64) -> bool| found.iter().flatten().filter(|off| is_in(**off)).count();
        let found_there: Vec<f64> = hidden.iter().filter_map(|label| error(label)).collect();
        Self {
            visible: found.len(),
            right: within(&|off| off <= near),
            far: within(&|off| off > FAR),
            missing: found.iter().filter(|off| off.is_none()).count(),
            hidden: hidden.len(),
            hidden_found: found_there.len(),
            hidden_far: found_there.iter().filter(|off| **off > FAR).count(),
        }
    }

    /// All together.
    pub fn of_all<'a>(all: impl Iterator<Item = &'a Self>) -> Self {
        all.fold(Self::default(), |sum, one| Self {
            visible: sum.visible + one.visible,
            right: sum.right + one.right,
            far: sum.far + one.far,
            missing: sum.missing + one.missing,
            hidden: sum.hidden + one.hidden,
            hidden_found: sum.hidden_found + one.hidden_found,
            hidden_far: sum.hidden_far + one.hidden_far,
        })
    }
}

impl std::fmt::Display for LabelCount {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let share = |count: usize| count as f64 * 100.0 / self.visible.max(1) as f64;
        let (right, far, missing) = (share(self.right), share(self.far), share(self.missing));
        write!(f, "labels right {right:.1} %, off by more than {FAR} px {far:.1} %, not found {missing:.1} %, ")?;
        let Self { hidden, hidden_found, hidden_far, .. } = self;
        write!(f, "hidden called found {hidden_found} of {hidden} ({hidden_far} off by more than {FAR} px)")
    }
}
