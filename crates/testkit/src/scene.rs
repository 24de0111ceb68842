//! A shot's scene put together again from its windows and columns.

use serde_json::{Map, Value, json};

use crate::Server;

impl Server {
    /// What hangs in a shot: `frames` has what is painted on each, from the shot's first on; beside it artwork,
    /// offsets, revision.
    ///
    /// # Panics
    /// When there is no such shot.
    pub fn scene(&self, shot: &str) -> Value {
        let first = self.get(&format!("{shot}/scene")).json();
        let number = |value: &Value| value.as_u64().expect("a frame is a number");
        let (mut at, last) = (number(&first["shot"]["first"]), number(&first["shot"]["last"]));
        let mut frames = Vec::new();
        while at <= last {
            let window = self.get(&format!("{shot}/scene?at={at}")).json();
            frames.extend(frames_of(&window));
            at = number(&window["range"]["last"]) + 1;
        }
        let mut scene = first;
        scene["frames"] = json!(frames);
        scene
    }
}

fn frames_of(window: &Value) -> Vec<Vec<Value>> {
    let range = ["first", "last"].map(|end| window["range"][end].as_u64().unwrap_or_default() as usize);
    let mut frames = vec![Vec::new(); range[1] + 1 - range[0]];
    for run in window["runs"].as_array().into_iter().flatten() {
        let at = |key: &str| run[key].as_u64().unwrap_or_default() as usize;
        let which: Vec<usize> =
            run["which"].as_array().into_iter().flatten().map(|n| n.as_u64().unwrap_or_default() as usize).collect();
        let mut sums = vec![0i64; which.len()];
        for i in 0..at("count") {
            for (column, sum) in sums.iter_mut().enumerate() {
                *sum += run["numbers"][column]["steps"][i].as_i64().unwrap_or_default();
            }
            let frame: &mut Vec<Value> = &mut frames[at("first") - range[0] + i];
            let mut seen = 0;
            let value = filled(&run["value"], &mut |own| {
                let column = which.iter().position(|which| *which == seen);
                seen += 1;
                let number =
                    |column: usize| json!(sums[column] as f64 / run["numbers"][column]["per"].as_f64().unwrap_or(1.0));
                column.map_or_else(|| own.clone(), number)
            });
            // Runs come in the order of their places.
            assert_eq!(frame.len(), at("place"), "a place is left out");
            frame.push(value);
        }
    }
    frames
}

fn filled(value: &Value, next: &mut impl FnMut(&Value) -> Value) -> Value {
    match value {
        Value::Number(_) => next(value),
        Value::Array(values) => {
            let mut all = Vec::with_capacity(values.len());
            for value in values {
                all.push(filled(value, next));
            }
            Value::Array(all)
        }
        Value::Object(fields) => {
            let mut all = Map::new();
            for (key, value) in fields {
                all.insert(key.clone(), filled(value, next));
            }
            Value::Object(all)
        }
        other => other.clone(),
    }
}
