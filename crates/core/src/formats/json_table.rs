//! Samples out of JSON, as the table that a CSV would give.

use serde_json::Value;

use super::table::{ImportProblem, Table, fits};

/// Reads our own samples and paths, and any list of objects: the fields of the first are the columns.
pub(super) fn parse(text: &str) -> Result<Table, ImportProblem> {
    let value: Value = serde_json::from_str(text).map_err(|problem| ImportProblem::Json(problem.to_string()))?;
    let read = samples(&value).or_else(|| paths(&value)).or_else(|| list(&value));
    let (headers, rows) = read.ok_or(ImportProblem::NoTable)??;
    (!rows.is_empty()).then_some(Table { headers, rows, decimal_comma: false }).ok_or(ImportProblem::NoTable)
}

type Read = Result<(Vec<String>, Vec<Vec<String>>), ImportProblem>;

/// A text is not longer than this, in characters: the name of a pin stands in each of its rows.
pub(super) const LONGEST: usize = 400;

fn named(headers: &[&str]) -> Vec<String> {
    headers.iter().map(|name| (*name).to_owned()).collect()
}

/// A number or a text as it would stand in a CSV.
fn field(value: Option<&Value>) -> String {
    match value {
        Some(Value::String(text)) => text.chars().take(LONGEST).collect(),
        Some(Value::Number(number)) => number.to_string(),
        _ => String::new(),
    }
}

/// `{"pins": [{"name", "samples": [{"frame", "x", "y", "match", "state"}]}]}`.
fn samples(value: &Value) -> Option<Read> {
    let columns = ["frame", "x", "y", "match", "state"];
    let mut rows = Vec::new();
    for pin in value.get("pins")?.as_array()? {
        for sample in pin.get("samples")?.as_array()? {
            let own = columns.iter().map(|name| field(sample.get(name)));
            rows.push(std::iter::once(field(pin.get("name"))).chain(own).collect());
            if let Err(problem) = fits(columns.len() + 1, rows.len()) {
                return Some(Err(problem));
            }
        }
    }
    Some(Ok((named(&["pin", "frame", "x", "y", "match", "state"]), rows)))
}

/// `{"subjects": [{"name", "spans": [{"first", "places": [[x, y], ...]}]}]}`.
fn paths(value: &Value) -> Option<Read> {
    let mut rows = Vec::new();
    for subject in value.get("subjects")?.as_array()? {
        for span in subject.get("spans")?.as_array()? {
            let first = span.get("first")?.as_i64()?;
            for (i, place) in span.get("places")?.as_array()?.iter().enumerate() {
                let [x, y] = [0, 1].map(|axis| field(place.get(axis)));
                rows.push(vec![field(subject.get("name")), (first.saturating_add(i as i64)).to_string(), x, y]);
                if let Err(problem) = fits(4, rows.len()) {
                    return Some(Err(problem));
                }
            }
        }
    }
    Some(Ok((named(&["pin", "frame", "x", "y"]), rows)))
}

/// `[{"frame": 0, "x": 1.5, ...}, ...]`.
fn list(value: &Value) -> Option<Read> {
    let all = value.as_array()?;
    let headers: Vec<String> = all.first()?.as_object()?.keys().cloned().collect();
    if let Err(problem) = fits(headers.len(), all.len()) {
        return Some(Err(problem));
    }
    let rows = all.iter().map(|row| headers.iter().map(|name| field(row.get(name))).collect()).collect();
    Some(Ok((headers, rows)))
}

#[cfg(test)]
mod tests {
    use super::super::{FrameCount, NamedTrack, samples_json};
    use super::*;
    use crate::geometry::Point;
    use crate::time::{Frame, FrameRange, Rational};
    use crate::track::{Sample, Track};

    #[test]
    fn what_we_write_comes_back() {
        let track: Track = (3..8).map(|n| (Frame(n), Sample::guide(Point::new(10.0 + f64::from(n), 20.25)))).collect();
        let range = FrameRange { first: Frame(0), last: Frame(20) };
        let named = [NamedTrack { name: "lamp", track: &track }];
        let text = samples_json(&named, range, Rational { num: 25, den: 1 }, FrameCount::From(0)).to_string();
        let table = Table::parse(&text).unwrap();
        let samples = table.samples(&table.guess(), range).unwrap();
        assert_eq!(samples.len(), 5);
        assert_eq!((samples[2].0, samples[2].1.at), (Frame(5), Point::new(15.0, 20.25)));
    }

    #[test]
    fn paths_and_plain_lists_are_read() {
        let range = FrameRange { first: Frame(0), last: Frame(20) };
        let path =
            r#"{"subjects": [{"name": "Guard", "spans": [{"first": 4, "places": [[1.5, 2], [2.5, 3]], "keys": []}]}]}"#;
        let table = Table::parse(path).unwrap();
        let samples = table.samples(&table.guess(), range).unwrap();
        assert_eq!((samples[1].0, samples[1].1.at), (Frame(5), Point::new(2.5, 3.0)));
        let list = r#" [{"x": 7.25, "frame": 9, "y": 1}, {"frame": 10, "x": 8, "y": 2}]"#;
        let table = Table::parse(list).unwrap();
        assert_eq!(table.samples(&table.guess(), range).unwrap()[0].1.at, Point::new(7.25, 1.0));
    }

    #[test]
    fn broken_json_says_where() {
        let problem = Table::parse("{\"pins\": [}").unwrap_err();
        assert!(problem.to_string().contains("line 1"), "{problem}");
        assert_eq!(Table::parse("{}"), Err(ImportProblem::NoTable));
    }
}
