//! The steps of a recipe in plain words, with the numbers that each has.

use jampin_core::path::{Step, StepKind};
use serde_json::{Value, json};

/// How a number is called: its name in files, the words before it, its unit, and by how much the arrows change it.
type Words = (&'static str, &'static str, &'static str, f64);

/// Every kind of step, with its numbers as they begin and their limits.
pub(super) fn all() -> Vec<Value> {
    StepKind::ALL.into_iter().map(form).collect()
}

fn form(kind: StepKind) -> Value {
    let (title, words) = words(kind);
    let numbers = kind.numbers();
    let field = |&(name, label, unit, step): &Words| {
        let number = numbers.iter().find(|number| number.name == name)?;
        let (least, most) = (number.least, number.most);
        Some(json!({ "name": name, "label": label, "unit": unit, "step": step, "least": least, "most": most }))
    };
    let fields: Vec<Value> = words.iter().filter_map(field).collect();
    let fresh = json!(Step::new(kind));
    json!({ "kind": fresh["step"], "title": title, "fields": fields, "fresh": fresh })
}

fn words(kind: StepKind) -> (&'static str, &'static [Words]) {
    match kind {
        StepKind::Outliers { .. } => (
            "Take out jumps",
            &[
                ("least", "of more than", "px", 0.25),
                ("sigmas", "unusual by", "×", 0.5),
                ("window", "among", "frames", 2.0),
            ],
        ),
        StepKind::Smooth { .. } => ("Take out jitter", &[("strength", "strength", "×", 0.5)]),
        StepKind::Polynomial { .. } => {
            ("Even out", &[("window", "over", "frames", 2.0), ("degree", "degree", "", 1.0)])
        }
        StepKind::MaxDeviation { .. } => ("Stay near the raw path", &[("distance", "within", "px", 0.25)]),
        StepKind::Straight { .. } => ("Fewer points, straight", &[("tolerance", "within", "px", 0.05)]),
        StepKind::Curve { .. } => ("Few keyframes, smooth", &[("tolerance", "within", "px", 0.05)]),
        StepKind::LongestStretch { .. } => ("Longest stretch", &[("frames", "at most", "frames", 1.0)]),
        StepKind::EaseIn { .. } => ("Set off gently", &[("frames", "over", "frames", 1.0)]),
        StepKind::EaseOut { .. } => ("Come to rest gently", &[("frames", "over", "frames", 1.0)]),
        StepKind::DropLast { .. } => ("Drop last keyframes", &[("count", "how many", "", 1.0)]),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_number_of_every_step_has_its_field() {
        for kind in StepKind::ALL {
            let (form, numbers) = (form(kind), kind.numbers());
            assert_eq!(form["fields"].as_array().expect("a list").len(), numbers.len(), "{form}");
            for number in numbers {
                assert_eq!(form["fresh"][number.name].as_f64(), Some(number.value), "{form}");
            }
        }
    }
}
