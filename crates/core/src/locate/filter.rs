//! The subject's learned picture: a correlation filter that tells it from what is around it.

use super::channels::Channels;
use jampin_spectrum::{Amplitude, CELLS, SIDE, SPECTRUM, Transform};

/// Deviation of the wanted response, in cells: a sixteenth of the subject's box. Sharper, and the filter wants the very
/// same picture again; wider, and it does not say where in the box.
const PEAK: f32 = 1.33;
/// Half the side of the box, in cells: as much again lies around it.
const BOX_HALF: f32 = SIDE as f32 / 4.0;
/// Cells over which the mask falls from one to nothing.
const MASK_EDGE: f32 = 4.0;
/// Rounds of the alternation between frequencies and mask. Lukežič et al. 2017 take four.
const ROUNDS: usize = 4;
/// And when a filter is renewed a little: it starts from the one before.
const ROUNDS_AGAIN: usize = 2;
/// Weight of the mask in the first round, over the regularisation; each further round trusts it more.
const FIRST_TRUST: f32 = 5.0;
const MORE_TRUST: f32 = 3.0;
/// Regularisation, as a share of a channel's mean energy.
const CALM: f32 = 0.01;

/// Learned over the frames that are believed (MOSSE, Bolme et al. 2010), limited to the subject's box (CSR-DCF, Lukežič
/// et al. 2017).
#[derive(Clone)]
pub(super) struct Filter {
    channels: usize,
    /// Correlation of the pictures with the wanted response, and their energy: running means.
    wanted: Vec<Amplitude>,
    energy: Vec<f32>,
    /// The filter of each channel, and how much each has to say.
    filters: Vec<Amplitude>,
    say: Vec<f32>,
    is_new: bool,
}

/// Where the filter responds, row by row; what is right where it was looked is in the first cell.
pub(super) type Response = Vec<f32>;

/// Computes responses and learns; keeps scratch memory.
#[derive(Clone)]
pub(super) struct Workbench {
    transform: Transform,
    goal: Vec<Amplitude>,
    mask: Vec<f32>,
    pub spectra: Vec<Amplitude>,
    sum: Vec<Amplitude>,
    spare: Vec<Amplitude>,
    picture: Vec<f32>,
}

impl Workbench {
    pub fn new() -> Self {
        let mut transform = Transform::new();
        let wrapped = |i: usize| if i < SIDE / 2 { i as f32 } else { i as f32 - SIDE as f32 };
        let peak = |i: usize| {
            let (x, y) = (wrapped(i % SIDE), wrapped(i / SIDE));
            (-(x * x + y * y) / (2.0 * PEAK * PEAK)).exp()
        };
        let wanted: Vec<f32> = (0..CELLS).map(peak).collect();
        let mut goal = vec![Amplitude::default(); SPECTRUM];
        transform.forward(&wanted, &mut goal);
        // The target is in the middle of the neighbourhood, not at the origin of the transform.
        let inside = |at: usize| {
            let off = (at as f32 + 0.5 - SIDE as f32 / 2.0).abs();
            ((BOX_HALF - off) / MASK_EDGE + 0.5).clamp(0.0, 1.0)
        };
        let mask = (0..CELLS).map(|i| inside(i % SIDE) * inside(i / SIDE)).collect();
        let spectrum = || vec![Amplitude::default(); SPECTRUM];
        Self {
            transform,
            goal,
            mask,
            spectra: Vec::new(),
            sum: spectrum(),
            spare: spectrum(),
            picture: vec![0.0; CELLS],
        }
    }

    /// Takes in the channels of a neighbourhood, for what is asked of it next.
    pub fn load(&mut self, channels: &Channels) {
        let count = channels.values.len() / CELLS;
        self.spectra.resize(count * SPECTRUM, Amplitude::default());
        for (spectrum, channel) in self.spectra.chunks_exact_mut(SPECTRUM).zip(channels.values.chunks_exact(CELLS)) {
            self.transform.forward(channel, spectrum);
        }
    }

    /// How the filter responds to what was loaded.
    pub fn response(&mut self, filter: &Filter, response: &mut Response) {
        self.sum.fill(Amplitude::default());
        let channels = self.spectra.chunks_exact(SPECTRUM).zip(filter.filters.chunks_exact(SPECTRUM));
        for ((spectrum, own), say) in channels.zip(&filter.say) {
            for ((sum, a), b) in self.sum.iter_mut().zip(spectrum).zip(own) {
                *sum += a * b.conj() * say;
            }
        }
        response.resize(CELLS, 0.0);
        self.transform.back(&mut self.sum, response);
    }

    /// Adds what was loaded to the filter with a share of `rate`; the target is in its middle.
    pub fn learn(&mut self, filter: &mut Filter, rate: f32) {
        let rate = if filter.is_new { 1.0 } else { rate };
        for c in 0..filter.channels {
            let part = c * SPECTRUM..(c + 1) * SPECTRUM;
            let kept = filter.wanted[part.clone()].iter_mut().zip(&mut filter.energy[part.clone()]);
            for ((wanted, energy), (x, goal)) in kept.zip(self.spectra[part].iter().zip(&self.goal)) {
                *wanted += (x * goal.conj() - *wanted) * rate;
                *energy += (x.norm_sqr() - *energy) * rate;
            }
        }
        self.solve(filter);
        filter.is_new = false;
    }

    fn solve(&mut self, filter: &mut Filter) {
        let rounds = if filter.is_new { ROUNDS } else { ROUNDS_AGAIN };
        for c in 0..filter.channels {
            let part = c * SPECTRUM..(c + 1) * SPECTRUM;
            let (wanted, energy) = (&filter.wanted[part.clone()], &filter.energy[part.clone()]);
            let own = &mut filter.filters[part.clone()];
            let calm = CALM * energy.iter().sum::<f32>() / SPECTRUM as f32 + 1e-6;
            if filter.is_new {
                for ((h, a), b) in own.iter_mut().zip(wanted).zip(energy) {
                    *h = a / (b + calm);
                }
                masked(&mut self.transform, &self.mask, &mut self.picture, own, 1.0);
            }
            self.alternate(wanted, energy, own, calm, rounds);
            filter.say[c] = self.strength(&self.spectra[part], &filter.filters[c * SPECTRUM..(c + 1) * SPECTRUM]);
        }
        let sum = filter.say.iter().sum::<f32>().max(1e-9);
        filter.say.iter_mut().for_each(|say| *say /= sum);
    }

    /// The alternating direction method of multipliers between what the frequencies want and what the mask allows.
    fn alternate(&mut self, wanted: &[Amplitude], energy: &[f32], own: &mut [Amplitude], calm: f32, rounds: usize) {
        let Self { transform, mask, picture, sum: free, spare: strain, .. } = self;
        strain.fill(Amplitude::default());
        let mut trust = FIRST_TRUST * calm;
        for _ in 0..rounds {
            for i in 0..SPECTRUM {
                free[i] = (wanted[i] + own[i] * trust - strain[i]) / (energy[i] + trust);
                own[i] = free[i] * trust + strain[i];
            }
            masked(transform, mask, picture, own, 1.0 / (calm + trust));
            for i in 0..SPECTRUM {
                strain[i] += (free[i] - own[i]) * trust;
            }
            trust *= MORE_TRUST;
        }
    }

    /// How strongly one channel alone responds where the target is.
    fn strength(&self, spectrum: &[Amplitude], own: &[Amplitude]) -> f32 {
        // The value at the origin is the mean of the spectrum; all but the first and last column stand for two.
        let column = |i: usize| i / SIDE;
        let twice = |i: usize| if column(i) == 0 || column(i) == SIDE / 2 { 1.0 } else { 2.0 };
        let sum: f32 = spectrum.iter().zip(own).enumerate().map(|(i, (a, b))| (a * b.conj()).re * twice(i)).sum();
        (sum / CELLS as f32).max(0.0)
    }
}

fn masked(transform: &mut Transform, mask: &[f32], picture: &mut [f32], spectrum: &mut [Amplitude], times: f32) {
    transform.back(spectrum, picture);
    picture.iter_mut().zip(mask).for_each(|(value, share)| *value *= share * times);
    transform.forward(picture, spectrum);
}

impl Filter {
    /// One that has learned nothing yet.
    pub fn new(channels: usize) -> Self {
        let spectrum = || vec![Amplitude::default(); channels * SPECTRUM];
        let energy = vec![0.0; channels * SPECTRUM];
        Self { channels, wanted: spectrum(), energy, filters: spectrum(), say: vec![0.0; channels], is_new: true }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::locate::channels::GREY;

    /// Channels of chance, the same for the same number, moved across and down with wrapping.
    fn channels(number: u32, (dx, dy): (usize, usize)) -> Channels {
        let mut state = number.wrapping_mul(2_654_435_761) | 1;
        let mut chance = || {
            state ^= state << 13;
            state ^= state >> 17;
            state ^= state << 5;
            (state >> 8) as f32 / (1 << 24) as f32 - 0.5
        };
        let plain: Vec<f32> = (0..GREY * CELLS).map(|_| chance()).collect();
        let moved = |i: usize| {
            let (channel, at) = (i / CELLS, i % CELLS);
            let (x, y) = ((at % SIDE + SIDE - dx) % SIDE, (at / SIDE + SIDE - dy) % SIDE);
            plain[channel * CELLS + y * SIDE + x]
        };
        let mut channels = Channels::default();
        channels.values = (0..GREY * CELLS).map(moved).collect();
        channels
    }

    fn learned() -> (Workbench, Filter) {
        let (mut bench, mut filter) = (Workbench::new(), Filter::new(GREY));
        bench.load(&channels(1, (0, 0)));
        bench.learn(&mut filter, 1.0);
        (bench, filter)
    }

    fn response(bench: &mut Workbench, filter: &Filter, of: &Channels) -> Response {
        let mut response = Response::new();
        bench.load(of);
        bench.response(filter, &mut response);
        response
    }

    #[test]
    fn the_response_is_the_correlation_with_the_filters_as_pictures() {
        let (mut bench, filter) = learned();
        let of = channels(2, (0, 0));
        let fast = response(&mut bench, &filter, &of);
        // Plainly: for each offset the sum over all cells and channels.
        let mut pictures = vec![0.0; GREY * CELLS];
        for c in 0..GREY {
            let mut spectrum = filter.filters[c * SPECTRUM..(c + 1) * SPECTRUM].to_vec();
            bench.transform.back(&mut spectrum, &mut pictures[c * CELLS..(c + 1) * CELLS]);
        }
        for (x, y) in [(0, 0), (3, 0), (0, 61), (17, 40)] {
            let mut plain = 0.0f64;
            for c in 0..GREY {
                for i in 0..CELLS {
                    let (col, row) = ((i % SIDE + x) % SIDE, (i / SIDE + y) % SIDE);
                    let pair = of.values[c * CELLS + row * SIDE + col] * pictures[c * CELLS + i] * filter.say[c];
                    plain += f64::from(pair);
                }
            }
            let got = f64::from(fast[y * SIDE + x]);
            assert!((got - plain).abs() < 1e-4 * (1.0 + plain.abs()), "at {x}, {y}: {got}, not {plain}");
        }
    }

    #[test]
    fn what_was_learned_is_found_where_it_went_and_something_else_is_not() {
        let (mut bench, filter) = learned();
        let peak = |response: &[f32]| {
            (0..CELLS).max_by(|a, b| response[*a].total_cmp(&response[*b])).map(|i| (i % SIDE, i / SIDE)).unwrap()
        };
        let here = response(&mut bench, &filter, &channels(1, (0, 0)));
        let moved = response(&mut bench, &filter, &channels(1, (5, 60)));
        assert_eq!((peak(&here), peak(&moved)), ((0, 0), (5, 60)));
        let other = response(&mut bench, &filter, &channels(7, (0, 0)));
        let most = other.iter().copied().fold(0.0, f32::max);
        assert!(most < 0.4 * here[0], "{most} beside {}", here[0]);
    }

    #[test]
    fn the_filter_looks_at_the_box_only() {
        let (mut bench, filter) = learned();
        let mut picture = vec![0.0; CELLS];
        let mut spectrum = filter.filters[..SPECTRUM].to_vec();
        bench.transform.back(&mut spectrum, &mut picture);
        let inside = |i: usize| bench.mask[i] > 0.0;
        let outside: f32 = (0..CELLS).filter(|i| !inside(*i)).map(|i| picture[i].abs()).fold(0.0, f32::max);
        let most = picture.iter().map(|value| value.abs()).fold(0.0, f32::max);
        assert!(outside < 1e-3 * most, "{outside} of {most}");
    }
}
