//! The light on a surface that bends: folds are bright and dark.

use super::compared::{Compared, Placed};

/// The light at a knot: `value = seen + gain * (drawn_value - drawn)`, from the means of what is near.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct KnotLight {
    pub gain: f64,
    /// Mean brightness as drawn.
    pub drawn: f64,
    /// Mean brightness as seen.
    pub seen: f64,
}

/// A knot's gain leans towards that of the whole surface by so many squared grey levels for each of its samples: less, and
/// what passes in front of a bare part is taken for light.
const LEAN: f64 = 500.0;
/// A knot with fewer samples than this keeps the light that it had.
const FEW: f64 = 3.0;
/// Times that knots share what they see with those round them: more, and a fold's shade is taken for motion; fewer, and
/// the light takes what is the motion's.
const ROUNDS: f64 = 3.0;
/// ... and so many more for each squared spacing of blur: only wide detail is left.
const PER_BLUR: f64 = 60.0;
/// Gains beyond are none.
const DARKEST: f64 = 0.2;

impl KnotLight {
    /// As drawn.
    pub const NONE: Self = Self { gain: 1.0, drawn: 128.0, seen: 128.0 };
}

/// The light at a sample.
pub(super) fn light_at(lights: &[KnotLight], place: &Placed) -> KnotLight {
    let mut light = KnotLight::default();
    for (knot, share) in place.knots.iter().zip(place.shares) {
        let (near, share) = (lights[*knot], f64::from(share));
        light.gain += share * near.gain;
        light.drawn += share * near.drawn;
        light.seen += share * near.seen;
    }
    light
}

/// The light of the frame before, all of it brighter or darker as fits what counts. The shade of a fold goes with the
/// cloth from frame to frame; sought anew before the cloth is where it belongs, it would be taken for the motion.
pub(super) fn carried(lights: &mut [KnotLight], compared: Compared<'_>) {
    let mut sums = Sums::default();
    for (place, drawn, seen, weight) in compared.all() {
        let light = light_at(lights, place);
        sums.add(&Sums::of(light.seen + light.gain * (drawn - light.drawn), seen), weight);
    }
    let whole = sums.line(1.0, LEAN);
    for light in lights {
        light.gain *= whole.gain;
        light.seen = whole.seen + whole.gain * (light.seen - whole.drawn);
    }
}

/// One step towards the light that fits what counts, knot by knot: what the samples of a knot's triangles are still off
/// by, as far as they are its own.
pub(super) fn found(lights: &mut [KnotLight], compared: Compared<'_>, (neighbours, blur): (&[Vec<usize>], f64)) {
    let mut sums = vec![Sums::default(); neighbours.len()];
    for (place, drawn, seen, weight) in compared.all() {
        let light = light_at(lights, place);
        let parts = Sums::of(drawn, seen - light.seen - light.gain * (drawn - light.drawn));
        for (knot, share) in place.knots.iter().zip(place.shares) {
            sums[*knot].add(&parts, weight * f64::from(share));
        }
    }
    let rounds = ROUNDS + PER_BLUR * blur * blur;
    for _ in 0..rounds.ceil() as usize {
        sums = spread(&sums, neighbours);
    }
    for (light, sums) in lights.iter_mut().zip(&sums).filter(|(_, sums)| sums.count > FEW) {
        let off = sums.line(0.0, LEAN);
        light.gain = (light.gain + off.gain).clamp(DARKEST, 1.0 / DARKEST);
        light.seen += off.seen + off.gain * (light.drawn - off.drawn);
    }
}

/// Of pairs of a drawn and a seen value.
#[derive(Clone, Copy, Debug, Default)]
struct Sums {
    count: f64,
    x: f64,
    y: f64,
    xx: f64,
    xy: f64,
}

impl Sums {
    fn of(x: f64, y: f64) -> Self {
        Self { count: 1.0, x, y, xx: x * x, xy: x * y }
    }

    fn add(&mut self, other: &Self, weight: f64) {
        self.count += weight * other.count;
        self.x += weight * other.x;
        self.y += weight * other.y;
        self.xx += weight * other.xx;
        self.xy += weight * other.xy;
    }

    /// The straight line through them, which leans towards a gain.
    fn line(&self, gain: f64, lean: f64) -> KnotLight {
        let count = self.count.max(1e-9);
        let (drawn, seen) = (self.x / count, self.y / count);
        let (spread, both) = (self.xx / count - drawn * drawn, self.xy / count - drawn * seen);
        let gain = (both + lean * gain) / (spread + lean).max(1e-6);
        KnotLight { gain, drawn, seen }
    }
}

/// Hands on to each knot what those round it have.
fn spread(sums: &[Sums], neighbours: &[Vec<usize>]) -> Vec<Sums> {
    let one = |(knot, near): (usize, &Vec<usize>)| {
        let mut sum = Sums::default();
        sum.add(&sums[knot], 0.5);
        near.iter().for_each(|other| sum.add(&sums[*other], 0.5 / near.len() as f64));
        sum
    };
    neighbours.iter().enumerate().map(one).collect()
}
