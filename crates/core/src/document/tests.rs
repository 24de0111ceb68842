//! Every form in which a shot was ever stored is read: `tests/documents` has one file or more for each, as it lay in a
//! database.

use serde_json::Value;

use super::Shot;

const STORED: [(&str, &str); 3] = [
    ("passing loop, form 1", include_str!("../../tests/documents/1-passing-loop.json")),
    ("yard, form 1", include_str!("../../tests/documents/1-yard-from-the-air.json")),
    ("clock tower, form 1", include_str!("../../tests/documents/1-clock-tower.json")),
];

/// Whether all that the first says is in the second, too.
fn is_within(stored: &Value, now: &Value) -> bool {
    match (stored, now) {
        (Value::Object(stored), Value::Object(now)) => {
            stored.iter().all(|(key, value)| now.get(key).map_or(value.is_null(), |now| is_within(value, now)))
        }
        (Value::Array(stored), Value::Array(now)) => {
            stored.len() == now.len() && stored.iter().zip(now).all(|(stored, now)| is_within(stored, now))
        }
        (stored, now) => stored == now,
    }
}

#[test]
fn whatever_was_stored_is_read_with_all_that_it_says() {
    for (name, text) in STORED {
        let stored: Value = serde_json::from_str(text).unwrap();
        let shot: Shot = serde_json::from_value(stored.clone()).unwrap_or_else(|error| panic!("{name}: {error}"));
        let now = serde_json::to_value(&shot).unwrap();
        assert!(is_within(&stored, &now), "{name}: {now}");
        for attachment in shot.subjects.iter().flat_map(|subject| &subject.attachments) {
            assert_eq!(attachment.check(), Ok(()), "{name}");
        }
    }
}

#[test]
fn what_is_lost_is_noticed() {
    let stored = serde_json::json!({ "a": [1, { "b": 2 }] });
    assert!(is_within(&stored, &serde_json::json!({ "a": [1, { "b": 2, "c": 3 }] })));
    assert!(!is_within(&stored, &serde_json::json!({ "a": [1, { "c": 3 }] })));
    assert!(!is_within(&stored, &serde_json::json!({ "a": [1, { "b": 5 }] })));
}
