//! What is compared: samples of a surface as it was drawn, and as a frame shows them.

/// Where a sample lies in the net.
#[derive(Clone, Copy, Debug)]
pub(super) struct Placed {
    pub triangle: usize,
    pub knots: [usize; 3],
    pub shares: [f32; 3],
}

/// What is compared: where the samples lie, how they were drawn, how they are seen, and how much each counts.
#[derive(Clone, Copy)]
pub(super) struct Compared<'a> {
    pub placed: &'a [Placed],
    pub drawn: &'a [[f32; 3]],
    pub seen: &'a [Option<[f32; 3]>],
    pub weights: &'a [f32],
}

impl Compared<'_> {
    /// Sample by sample: where, as drawn, as seen, and how much it counts.
    pub fn all(&self) -> impl Iterator<Item = (&Placed, f64, f64, f64)> {
        let samples = self.placed.iter().zip(self.drawn).zip(self.seen).zip(self.weights);
        samples.filter_map(|(((place, drawn), seen), weight)| {
            Some((place, f64::from(drawn[0]), f64::from((*seen)?[0]), f64::from(*weight)))
        })
    }
}
