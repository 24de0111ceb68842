//! Input as it should not be: good input with something in it changed for what nobody expects. The same each time.

use serde_json::{Value, json};

/// Random numbers that are the same each time (SplitMix64: Steele, Lea & Flood 2014).
#[derive(Clone, Debug)]
pub struct Dice(pub u64);

impl Dice {
    /// Any number.
    pub fn any(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let z = (self.0 ^ (self.0 >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        let z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    /// A number below this.
    pub fn below(&mut self, end: u64) -> u64 {
        self.any() % end
    }

    /// True once in so many times.
    pub fn one_in(&mut self, many: u64) -> bool {
        self.below(many) == 0
    }
}

/// How many inputs are tried: so many as is usual in tests, times `JAMPIN_DRILL`.
pub fn inputs(usual: u64) -> u64 {
    usual * std::env::var("JAMPIN_DRILL").ok().and_then(|times| times.parse().ok()).unwrap_or(1)
}

/// What stands where something else should.
fn surprise(dice: &mut Dice) -> Value {
    let mut deep = json!(1);
    for _ in 0..dice.below(200) {
        deep = json!([deep]);
    }
    let all = [
        json!(null),
        json!(true),
        json!([]),
        json!({}),
        deep,
        json!(0),
        json!(-1),
        json!(1),
        json!(0.5),
        json!(1e300),
        json!(-1e300),
        json!(1e-320),
        json!(1e10),
        json!(-0.0),
        json!(u64::MAX),
        json!(i64::MIN),
        json!(4_294_967_296_u64),
        json!(4_294_967_295_u64),
        json!(10_000_000),
        json!(""),
        json!("\u{0}"),
        json!("x".repeat(5000)),
        json!("\u{202e}\u{1f682}e\u{301}"),
        json!("NaN"),
        json!("../../etc/passwd"),
        json!("00000000-0000-0000-0000-000000000001"),
        json!("#zzzzzz"),
        json!("\u{d7ff}"),
    ];
    all[dice.below(all.len() as u64) as usize].clone()
}

/// The JSON with one to three of its values changed, taken out, doubled, or multiplied.
pub fn changed_json(dice: &mut Dice, value: &Value) -> Value {
    let mut changed = value.clone();
    for _ in 0..=dice.below(2) {
        let at = dice.below(size(&changed).max(1));
        change_at(dice, &mut changed, &mut (at as i64));
    }
    changed
}

fn size(value: &Value) -> u64 {
    1 + match value {
        Value::Array(list) => list.iter().map(size).sum(),
        Value::Object(map) => map.values().map(size).sum(),
        _ => 0,
    }
}

fn change_at(dice: &mut Dice, value: &mut Value, left: &mut i64) {
    if *left == 0 {
        change(dice, value);
    }
    *left -= 1;
    match value {
        Value::Array(list) => list.iter_mut().for_each(|one| change_at(dice, one, left)),
        Value::Object(map) => map.values_mut().for_each(|one| change_at(dice, one, left)),
        _ => {}
    }
}

fn change(dice: &mut Dice, value: &mut Value) {
    match value {
        Value::Array(list) if !list.is_empty() && dice.one_in(2) => {
            let one = list[dice.below(list.len() as u64) as usize].clone();
            let times = if dice.one_in(20) { 3000 } else { 2 };
            list.extend(std::iter::repeat_n(one, times));
        }
        Value::Object(map) if !map.is_empty() && dice.one_in(2) => {
            let key = map.keys().nth(dice.below(map.len() as u64) as usize).cloned().unwrap_or_default();
            let taken = map.remove(&key).unwrap_or_default();
            if dice.one_in(3) {
                map.insert(format!("{key}s"), taken);
            }
        }
        Value::Number(number) if !dice.one_in(4) => {
            let by = [-1.0, 0.0, 1e-9, 0.5, 1.000_000_1, 2.0, 10.0, 1e3, 1e9][dice.below(9) as usize];
            let changed = number.as_f64().unwrap_or(0.0) * by;
            // A whole number stays one: a frame of 2.5 is refused before anything is done with it.
            *value = if number.is_f64() { json!(changed) } else { json!(changed as i64) };
        }
        Value::String(text) if !dice.one_in(3) => {
            let bytes = changed_bytes(dice, text.as_bytes());
            *text = String::from_utf8_lossy(&bytes).into_owned();
        }
        Value::Bool(on) if !dice.one_in(4) => *on = !*on,
        _ => *value = surprise(dice),
    }
}

/// The bytes with some turned over, taken out, doubled, or with a piece of other bytes in them.
pub fn changed_bytes(dice: &mut Dice, bytes: &[u8]) -> Vec<u8> {
    let mut changed = bytes.to_vec();
    for _ in 0..=dice.below(4) {
        let length = changed.len().max(1) as u64;
        let (from, count) = (dice.below(length) as usize, 1 + dice.below(20) as usize);
        let until = (from + count).min(changed.len());
        match dice.below(5) {
            0 if !changed.is_empty() => changed[from] ^= 1 << dice.below(8),
            1 if from < until => drop(changed.drain(from..until)),
            2 if from < until => {
                let piece = changed[from..until].to_vec();
                let times = if dice.one_in(30) { 2000 } else { 1 + dice.below(4) as usize };
                let at = dice.below(length) as usize;
                changed.splice(at..at, piece.repeat(times));
            }
            3 => changed.truncate(from),
            _ => {
                let words: [&[u8]; 9] =
                    [b"\0", b"\xff\xfe", b"1e999", b"-", b"\"", b"\r\n", b"<", b"&#x0;", b"99999999999999999999"];
                let word = words[dice.below(9) as usize];
                changed.splice(from..from, word.iter().copied());
            }
        }
    }
    changed
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn changes_are_the_same_each_time_and_seldom_none() {
        let good = json!({ "name": "Guard", "places": [{ "x": 1.5, "y": 2 }], "on": true });
        let changed = |seed: u64| changed_json(&mut Dice(seed), &good);
        assert_eq!(changed(5), changed(5));
        let different = (0..200).filter(|seed| changed(*seed) != good).count();
        assert!(different > 180, "{different}");
        let bytes =
            (0..200).filter(|seed| changed_bytes(&mut Dice(*seed), b"frame,x,y\n1,2,3\n") != b"frame,x,y\n1,2,3\n");
        assert!(bytes.count() > 180);
    }
}
