//! Samples out of other people's CSV and JSON: columns are matched up by a person, with a guess to start from.

use csv::ReaderBuilder;
use serde::{Deserialize, Serialize};

use super::json_table;
use super::table::{ImportProblem, Table, fits};
use crate::geometry::Point;
use crate::time::{Frame, FrameRange};
use crate::track::{Covariance, Sample, SampleState};

/// Problems that are told at most: more say nothing new.
const MOST_PROBLEMS: usize = 8;
/// A place further from the picture than this, in pixels, is no place.
const FARTHEST: f64 = 1e6;

/// Which column means what. Columns count from 0.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Mapping {
    /// The frame number.
    pub frame: usize,
    /// Across, in pixels.
    pub x: usize,
    /// Down, in pixels.
    pub y: usize,
    /// The match, 0 to 1.
    #[serde(default)]
    pub matched: Option<usize>,
    /// The state, in our words.
    #[serde(default)]
    pub state: Option<usize>,
    /// The name of the pin; only rows with `only` there are taken.
    #[serde(default)]
    pub pin: Option<usize>,
    /// Which pin.
    #[serde(default)]
    pub only: Option<String>,
    /// The number that the clip's first frame has in the file: 0, 1, or whatever it was cut from.
    #[serde(default)]
    pub first_frame: i64,
}

impl Table {
    /// Reads JSON, or a table parted by commas, semicolons or tabs, whichever the header has most of.
    pub fn parse(text: &str) -> Result<Self, ImportProblem> {
        let text = text.trim_start_matches('\u{feff}');
        if text.trim_start().starts_with(['{', '[']) {
            return json_table::parse(text);
        }
        let header = text.lines().next().unwrap_or_default();
        let count = |part: &u8| header.bytes().filter(|byte| byte == part).count();
        let delimiter = [b',', b';', b'\t'].into_iter().max_by_key(count).filter(|part| count(part) > 0);
        let delimiter = delimiter.ok_or(ImportProblem::NoTable)?;
        let mut reader = ReaderBuilder::new().delimiter(delimiter).flexible(true).from_reader(text.as_bytes());
        let trimmed = |record: &csv::StringRecord| record.iter().map(|field| field.trim().to_owned()).collect();
        let headers: Vec<String> = trimmed(reader.headers().map_err(|_| ImportProblem::NoTable)?);
        fits(headers.len(), 0)?;
        let mut rows = Vec::new();
        for record in reader.records() {
            let mut row: Vec<String> = trimmed(&record.map_err(|_| ImportProblem::NoTable)?);
            row.resize(headers.len(), String::new());
            rows.push(row);
            fits(headers.len(), rows.len())?;
        }
        (!rows.is_empty())
            .then_some(Self { headers, rows, decimal_comma: delimiter == b';' })
            .ok_or(ImportProblem::NoTable)
    }

    /// What the columns probably mean, by their names.
    pub fn guess(&self) -> Mapping {
        let find = |names: &[&str]| {
            let is = |header: &String| names.contains(&header.to_lowercase().as_str());
            self.headers.iter().position(is)
        };
        let pin = find(&["pin", "name", "track", "point", "id"]);
        Mapping {
            frame: find(&["frame", "frames", "frame number", "f", "time", "t"]).unwrap_or(0),
            x: find(&["x", "across", "position x", "pos x", "u"]).unwrap_or(1.min(self.headers.len() - 1)),
            y: find(&["y", "down", "position y", "pos y", "v"]).unwrap_or(2.min(self.headers.len() - 1)),
            matched: find(&["match", "confidence", "score", "correlation"]),
            state: find(&["state"]),
            pin,
            only: pin.map(|column| self.rows[0][column].clone()),
            first_frame: 0,
        }
    }

    /// The samples of one pin; rows outside `range` are left out. A row without a state is found.
    pub fn samples(&self, mapping: &Mapping, range: FrameRange) -> Result<Vec<(Frame, Sample)>, ImportProblem> {
        let Mapping { frame, x, y, matched, state, pin, .. } = *mapping;
        let named = [Some(frame), Some(x), Some(y), matched, state, pin];
        if let Some(column) = named.into_iter().flatten().find(|column| *column >= self.headers.len()) {
            return Err(ImportProblem::Column(column, self.headers.len()));
        }
        let mut samples = Vec::new();
        let mut problems: Vec<String> = Vec::new();
        for (index, row) in self.rows.iter().enumerate() {
            if pin.zip(mapping.only.as_ref()).is_some_and(|(column, only)| row[column] != *only) {
                continue;
            }
            match self.sample(row, mapping) {
                Ok((number, sample)) => {
                    let here = u32::try_from(number - mapping.first_frame).ok().map(Frame);
                    samples.extend(here.filter(|frame| range.contains(*frame)).map(|frame| (frame, sample)));
                }
                // The header is line 1.
                Err(problem) => problems.push(format!("line {}: {problem}", index + 2)),
            }
        }
        if !problems.is_empty() {
            let more = problems.len().saturating_sub(MOST_PROBLEMS);
            problems.truncate(MOST_PROBLEMS);
            if more > 0 {
                problems.push(format!("and {more} more"));
            }
            return Err(ImportProblem::Rows(problems));
        }
        if samples.is_empty() { Err(ImportProblem::NothingHere(range)) } else { Ok(samples) }
    }

    fn sample(&self, row: &[String], mapping: &Mapping) -> Result<(i64, Sample), String> {
        let number = |column: usize| {
            let text = if self.decimal_comma { row[column].replace(',', ".") } else { row[column].clone() };
            let value = text.parse::<f64>().ok().filter(|value| value.is_finite());
            value.ok_or_else(|| format!("{:?} in column {:?} is no number", row[column], self.headers[column]))
        };
        let frame = number(mapping.frame)?;
        if frame.fract() != 0.0 || frame.abs() > 1e9 {
            return Err(format!("{frame} in column {:?} is no whole frame number", self.headers[mapping.frame]));
        }
        let at = Point::new(number(mapping.x)?, number(mapping.y)?);
        if at.x.abs() > FARTHEST || at.y.abs() > FARTHEST {
            return Err(format!("{}, {} is no place near the picture", at.x, at.y));
        }
        let matched = mapping.matched.map_or(Ok(1.0), number)?.clamp(0.0, 1.0);
        let state = mapping.state.map_or(Ok(SampleState::Found), |column| row[column].parse())?;
        Ok((frame as i64, Sample::bare(at, matched, Covariance::UNKNOWN, state)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::formats::{FrameCount, NamedTrack, samples_csv};
    use crate::track::Track;

    fn range() -> FrameRange {
        FrameRange { first: Frame(0), last: Frame(99) }
    }

    #[test]
    fn our_own_file_comes_back_as_it_was() {
        let sample = |n: u32| {
            let state = if n == 5 { SampleState::Guide } else { SampleState::Found };
            (Frame(n), Sample::bare(Point::new(10.5 + f64::from(n), 7.25), 0.875, Covariance::UNKNOWN, state))
        };
        let track: Track = (3..9).map(sample).collect();
        let text = samples_csv(&[NamedTrack { name: "a, b", track: &track }], range(), FrameCount::From(0));
        let table = Table::parse(&text).unwrap();
        let mapping = table.guess();
        assert_eq!(mapping.only.as_deref(), Some("a, b"));
        let back: Track = table.samples(&mapping, range()).unwrap().into_iter().collect();
        assert_eq!(back, track);
    }

    #[test]
    fn other_tables_are_read_with_their_own_ways() {
        let text = "\u{feff}Nr;Pos X;Pos Y;confidence\n1001;12,5;40,25;0,9\n1002;13,0;41,0;1,0\n";
        let table = Table::parse(text).unwrap();
        let mapping = Mapping { first_frame: 1001, ..table.guess() };
        assert_eq!((mapping.frame, mapping.x, mapping.y, mapping.matched), (0, 1, 2, Some(3)));
        let samples = table.samples(&mapping, range()).unwrap();
        assert_eq!(samples[0].0, Frame(0));
        assert_eq!((samples[0].1.at, samples[0].1.matched), (Point::new(12.5, 40.25), 0.9));
        assert_eq!(samples.len(), 2);
        assert!(
            Table::parse("frame\tx\ty\n3\t1\t2\n")
                .unwrap()
                .samples(&Table::parse("a\tb\tc\n1\t1\t1").unwrap().guess(), range())
                .is_ok()
        );
    }

    /// 269 KB of it once took 10 GB.
    #[test]
    fn a_table_is_not_wider_or_longer_than_memory_is_for() {
        let header: Vec<String> = (0..2000).map(|n| format!("c{n}")).collect();
        let wide = format!("{}\n{}", header.join(","), "1\n".repeat(100_000));
        assert_eq!(Table::parse(&wide), Err(ImportProblem::TooWide(2000)));
        let header: Vec<String> = (0..150).map(|n| format!("c{n}")).collect();
        let many = format!("{}\n{}", header.join(","), "1\n".repeat(20_000));
        assert_eq!(Table::parse(&many), Err(ImportProblem::TooLong));
        let object: Vec<String> = (0..2000).map(|n| format!("\"c{n}\":1")).collect();
        let wide = format!("[{{{}}}{}]", object.join(","), ",{}".repeat(100_000));
        assert_eq!(Table::parse(&wide), Err(ImportProblem::TooWide(2000)));
        let places = "[1,2],".repeat(200_001);
        let long = format!(
            r#"{{"subjects":[{{"name":"a","spans":[{{"first":0,"places":[{}]}}]}}]}}"#,
            places.trim_end_matches(',')
        );
        assert_eq!(Table::parse(&long), Err(ImportProblem::TooLong));
        let name = "n".repeat(100_000);
        let named = format!(
            r#"{{"pins":[{{"name":"{name}","samples":[{}]}}]}}"#,
            ["{\"frame\":1,\"x\":1,\"y\":1}"; 1000].join(",")
        );
        let table = Table::parse(&named).unwrap();
        assert_eq!((table.rows.len(), table.rows[0][0].len()), (1000, json_table::LONGEST));
    }

    #[test]
    fn what_is_wrong_is_said_with_its_line() {
        let table = Table::parse("frame,x,y\n0,1,2\n1,one,2\n1.5,1,2\n3,4\n").unwrap();
        let ImportProblem::Rows(problems) = table.samples(&table.guess(), range()).unwrap_err() else { panic!() };
        assert_eq!(problems.len(), 3, "{problems:?}");
        assert!(problems[0].starts_with("line 3: \"one\" in column \"x\" is no number"), "{problems:?}");
        assert!(problems[1].contains("1.5") && problems[2].starts_with("line 5"), "{problems:?}");
        let far = Mapping { first_frame: 5000, ..table.guess() };
        let good = Table::parse("frame,x,y\n0,1,2\n").unwrap();
        assert_eq!(good.samples(&far, range()), Err(ImportProblem::NothingHere(range())));
        let missing = Mapping { y: 7, ..good.guess() };
        assert_eq!(good.samples(&missing, range()), Err(ImportProblem::Column(7, 3)));
        for empty in ["", "hello", "a,b,c\n"] {
            assert_eq!(Table::parse(empty), Err(ImportProblem::NoTable), "{empty:?}");
        }
    }
}
