//! Values that hardly change from frame to frame, in columns: what stays the same over a run of frames is said once.

use jampin_core::time::Frame;
use serde::Serialize;
use serde_json::{Number, Value};

/// The values at one place of the list, for a run of frames on which only numbers of them change.
#[derive(Debug, PartialEq, Serialize)]
pub(crate) struct RunColumns {
    /// Which place of the list.
    pub place: usize,
    /// The first frame of the run.
    pub first: Frame,
    /// How many frames it has.
    pub count: usize,
    /// The value on the first frame.
    pub value: Value,
    /// Which of the numbers in the value change, counted as they stand in it.
    pub which: Vec<usize>,
    /// What each of those is on every frame of the run.
    pub numbers: Vec<Column>,
}

/// A number over a run of frames, to seven digits of the largest: a thousandth of a pixel. Steps are short to write.
#[derive(Debug, PartialEq, Serialize)]
pub(crate) struct Column {
    /// How many steps make one: a power of ten, so that whole numbers come back whole.
    pub per: f64,
    /// The first number in steps, then how many it is from each to the next.
    pub steps: Vec<i64>,
}

impl Column {
    fn new(numbers: &[f64]) -> Self {
        let largest = numbers.iter().fold(0.0f64, |largest, number| largest.max(number.abs()));
        let digits = (DIGITS - largest.max(f64::MIN_POSITIVE).log10().ceil() as i32).clamp(0, MOST_DIGITS);
        let per = 10f64.powi(digits);
        let mut before = 0;
        let step = |number: &f64| {
            let now = (number * per).round() as i64;
            now - std::mem::replace(&mut before, now)
        };
        Self { per, steps: numbers.iter().map(step).collect() }
    }
}

/// Digits that are kept: fewer would be seen where a picture hangs in perspective, more are only longer.
const DIGITS: i32 = 7;
/// And behind the point: powers of ten are exact up to here.
const MOST_DIGITS: i32 = 15;

/// `frames` has a list of values for each frame, from `first` on.
pub(crate) fn in_columns(first: Frame, frames: &[Vec<Value>]) -> Vec<RunColumns> {
    let places = frames.iter().map(Vec::len).max().unwrap_or(0);
    let mut runs = Vec::new();
    for place in 0..places {
        let mut run: Option<Run<'_>> = None;
        for (i, frame) in frames.iter().enumerate() {
            let value = frame.get(place);
            if let (Some(open), Some(value)) = (&mut run, value)
                && is_alike(open.value, value)
            {
                open.rows.push(numbers(value));
                continue;
            }
            runs.extend(run.take().map(|run| run.close(place)));
            run = value.map(|value| Run { first: Frame(first.0 + i as u32), value, rows: vec![numbers(value)] });
        }
        runs.extend(run.map(|run| run.close(place)));
    }
    runs
}

struct Run<'v> {
    first: Frame,
    value: &'v Value,
    rows: Vec<Vec<f64>>,
}

impl Run<'_> {
    fn close(self, place: usize) -> RunColumns {
        let changes = |which: &usize| self.rows.iter().any(|row| row[*which] != self.rows[0][*which]);
        let which: Vec<usize> = (0..self.rows[0].len()).filter(changes).collect();
        let column = |which: &usize| Column::new(&self.rows.iter().map(|row| row[*which]).collect::<Vec<f64>>());
        let numbers = which.iter().map(column).collect();
        RunColumns { place, first: self.first, count: self.rows.len(), value: shortened(self.value), which, numbers }
    }
}

/// Whether two values differ in numbers only.
fn is_alike(a: &Value, b: &Value) -> bool {
    match (a, b) {
        (Value::Number(_), Value::Number(_)) => true,
        (Value::Array(a), Value::Array(b)) => a.len() == b.len() && a.iter().zip(b).all(|(a, b)| is_alike(a, b)),
        (Value::Object(a), Value::Object(b)) => {
            a.len() == b.len() && a.iter().zip(b).all(|((key, a), (other, b))| key == other && is_alike(a, b))
        }
        (a, b) => a == b,
    }
}

/// All numbers in a value, in its order.
fn numbers(value: &Value) -> Vec<f64> {
    let mut all = Vec::new();
    collect(value, &mut all);
    all
}

fn collect(value: &Value, all: &mut Vec<f64>) {
    match value {
        Value::Number(number) => all.push(number.as_f64().unwrap_or_default()),
        Value::Array(values) => values.iter().for_each(|value| collect(value, all)),
        Value::Object(fields) => fields.values().for_each(|value| collect(value, all)),
        Value::Null | Value::Bool(_) | Value::String(_) => {}
    }
}

/// With numbers of seven digits, which single precision has.
fn shortened(value: &Value) -> Value {
    match value {
        Value::Number(number) if number.is_f64() => {
            let short = format!("{}", number.as_f64().unwrap_or_default() as f32).parse().ok();
            Value::Number(short.and_then(Number::from_f64).unwrap_or_else(|| number.clone()))
        }
        Value::Array(values) => values.iter().map(shortened).collect(),
        Value::Object(fields) => {
            Value::Object(fields.iter().map(|(key, value)| (key.clone(), shortened(value))).collect())
        }
        other => other.clone(),
    }
}

#[cfg(test)]
mod tests {
    use serde_json::json;

    use super::*;

    #[test]
    fn what_stays_the_same_is_said_once_and_what_changes_for_every_frame() {
        let label = |x: f64| json!({ "of": "a", "shape": { "art": 0, "matrix": [1.0, x] }, "opacity": 1.0 });
        let frames = [vec![label(0.1)], vec![label(0.2)], vec![], vec![json!({ "of": "b" }), label(5.0)]];
        let runs = in_columns(Frame(7), &frames);
        assert_eq!(
            runs.iter().map(|run| (run.place, run.first, run.count)).collect::<Vec<_>>(),
            [(0, Frame(7), 2), (0, Frame(10), 1), (1, Frame(10), 1)]
        );
        // Fields stand in the order of their names: of, opacity, shape with art and matrix.
        let column = Column { per: 1e7, steps: vec![1_000_000, 1_000_000] };
        assert_eq!((&runs[0].which, &runs[0].numbers), (&vec![3], &vec![column]));
        assert_eq!((runs[0].value["shape"]["matrix"][1].as_f64(), runs[1].which.len()), (Some(0.1), 0));
    }

    #[test]
    fn a_list_of_another_length_begins_a_new_run() {
        let line = |points: usize| vec![json!({ "lines": vec![0.5; points] })];
        let runs = in_columns(Frame(0), &[line(2), line(2), line(3)]);
        assert_eq!(runs.iter().map(|run| run.count).collect::<Vec<_>>(), [2, 1]);
    }

    #[test]
    fn whole_numbers_come_back_whole() {
        let numbers: Vec<f64> = (0..500).map(f64::from).collect();
        let Column { per, steps } = Column::new(&numbers);
        let mut at = 0;
        for (number, step) in numbers.iter().zip(steps) {
            at += step;
            assert_eq!(at as f64 / per, *number, "an index of artwork");
        }
    }

    #[test]
    fn a_column_is_right_to_seven_digits_of_its_largest() {
        for numbers in [vec![1279.987, -3.0, 0.25], vec![3.1e-4, 3.2e-4], vec![0.0, 0.0], vec![1.0], vec![1e5, 7.0]] {
            let Column { per, steps } = Column::new(&numbers);
            let mut at = 0;
            for (number, step) in numbers.iter().zip(steps) {
                at += step;
                let largest = numbers.iter().fold(0.0f64, |largest, number| largest.max(number.abs()));
                assert!((at as f64 / per - number).abs() <= 5.1e-7 * largest, "{numbers:?}");
            }
        }
    }
}
