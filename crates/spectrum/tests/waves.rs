//! Spectra against sums of waves. Not in the crate, whose generic code would be compiled once more for them.

use jampin_spectrum::{Amplitude, CELLS, SIDE, SPECTRUM, Transform};

fn picture() -> Vec<f32> {
    (0..CELLS).map(|i| ((i * 37 + i * i % 101) % 19) as f32 - 9.0).collect()
}

#[test]
fn a_spectrum_is_the_sum_of_waves_it_says() {
    let (picture, mut spectrum) = (picture(), vec![Amplitude::default(); SPECTRUM]);
    Transform::new().forward(&picture, &mut spectrum);
    for (u, v) in [(0, 0), (1, 0), (0, 1), (5, 60), (32, 17)] {
        let wave = |(i, value): (usize, &f32)| {
            let turns = ((i % SIDE) * u + (i / SIDE) * v) as f64 / SIDE as f64;
            let (sin, cos) = (std::f64::consts::TAU * turns).sin_cos();
            (f64::from(*value) * cos, -f64::from(*value) * sin)
        };
        let (re, im) =
            picture.iter().enumerate().map(wave).fold((0.0, 0.0), |sum, part| (sum.0 + part.0, sum.1 + part.1));
        let got = spectrum[u * SIDE + v];
        let off = (f64::from(got.re) - re).hypot(f64::from(got.im) - im);
        assert!(off < 0.05, "frequency {u}, {v}: {got} is not {re} + {im}i");
    }
}

#[test]
fn there_and_back_is_where_it_began() {
    let (picture, mut spectrum, mut again) = (picture(), vec![Amplitude::default(); SPECTRUM], vec![0.0; CELLS]);
    let mut transform = Transform::new();
    transform.forward(&picture, &mut spectrum);
    transform.back(&mut spectrum, &mut again);
    assert!(picture.iter().zip(&again).all(|(a, b)| (a - b).abs() < 1e-4));
}
