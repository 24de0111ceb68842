//! A field of a form: where its value is, how it is entered, and what it is called.

use jampin_core::attachment::Attachment;
use serde::Serialize;
use serde_json::{Map, Value, json};

/// A group of rows with a title.
#[derive(Clone, Debug, Serialize)]
pub(super) struct Group {
    pub title: &'static str,
    /// Shown only where there is something at this address.
    pub when: Option<&'static str>,
    pub rows: Vec<Row>,
}

/// A row with a title.
#[derive(Clone, Debug, Serialize)]
pub(super) struct Row {
    pub title: &'static str,
    pub fields: Vec<Field>,
}

/// One value.
#[derive(Clone, Debug, Serialize)]
pub(super) struct Field {
    #[serde(rename = "as")]
    kind: &'static str,
    path: &'static str,
    name: &'static str,
    /// What only some fields have: unit, factor, step, limits, choices and so on.
    #[serde(flatten)]
    more: Map<String, Value>,
}

pub(super) fn group(title: &'static str, rows: impl IntoIterator<Item = Row>) -> Group {
    Group { title, when: None, rows: rows.into_iter().collect() }
}

pub(super) fn row(title: &'static str, fields: impl IntoIterator<Item = Field>) -> Row {
    Row { title, fields: fields.into_iter().collect() }
}

/// How it goes along with turn, growth and perspective of its subject.
pub(super) fn as_it_moves([turns, grows, tilts]: [&'static str; 3]) -> Row {
    row(
        "As it moves",
        [
            check(turns, "Turns with the subject", "turns"),
            check(grows, "Grows with the subject", "grows"),
            check(tilts, "Lies on the subject, in its perspective", "tilts"),
        ],
    )
}

impl Group {
    pub fn when(self, address: &'static str) -> Self {
        Self { when: Some(address), ..self }
    }
}

impl Field {
    fn new(kind: &'static str, path: &'static str, name: &'static str) -> Self {
        Self { kind, path, name, more: Map::new() }
    }

    /// Something more about it.
    pub fn with(mut self, what: &str, value: impl Into<Value>) -> Self {
        self.more.insert(what.into(), value.into());
        self
    }

    pub fn unit(self, unit: &str) -> Self {
        self.with("unit", unit)
    }

    /// How the tests and keys of the page find it.
    pub fn id(self, id: &str) -> Self {
        self.with("id", id)
    }

    pub fn step(self, step: f64) -> Self {
        self.with("step", step)
    }

    /// Shown only where there is something at this address.
    pub fn when(self, address: &str) -> Self {
        self.with("when", address)
    }

    /// It has keyframes of another kind, or says when and not how: none can be set of it.
    pub fn fixed(self) -> Self {
        self.with("fixed", true)
    }

    /// With the limits that the core has for it, from the first prototype that has such a number; also whether it can
    /// have keyframes.
    pub fn limited(mut self, prototypes: &[Attachment]) -> Self {
        if self.kind != "number" {
            return self;
        }
        let limits = prototypes.iter().find_map(|one| one.limits_of(self.path));
        let factor = self.more.get("factor").and_then(Value::as_f64).unwrap_or(1.0);
        if let Some((least, most)) = limits {
            self = self.with("least", least * factor).with("most", most * factor);
        }
        let is_fixed = self.more.contains_key("fixed");
        self.with("keyable", limits.is_some() && !is_fixed)
    }
}

pub(super) fn number(path: &'static str, name: &'static str) -> Field {
    Field::new("number", path, name)
}

pub(super) fn percent(path: &'static str, name: &'static str) -> Field {
    number(path, name).unit("%").with("factor", 100)
}

pub(super) fn whole(path: &'static str, name: &'static str) -> Field {
    number(path, name).with("whole", true)
}

/// A frame that may be left open; then it says this.
pub(super) fn frame(path: &'static str, name: &'static str, open: &str) -> Field {
    whole(path, name).with("nullable", true).with("placeholder", open).fixed()
}

pub(super) fn colour(path: &'static str, name: &'static str) -> Field {
    Field::new("colour", path, name)
}

pub(super) fn check(path: &'static str, name: &'static str, text: &str) -> Field {
    Field::new("check", path, name).with("text", text)
}

/// There or not: switched on it begins as `fresh`.
pub(super) fn part(path: &'static str, name: &'static str, fresh: &impl Serialize) -> Field {
    Field::new("part", path, name).with("fresh", json!(fresh))
}

pub(super) fn choice<V: Serialize>(
    path: &'static str,
    name: &'static str,
    options: impl IntoIterator<Item = (&'static str, V)>,
) -> Field {
    let options: Vec<Value> = options.into_iter().map(|(text, value)| json!([text, value])).collect();
    Field::new("choice", path, name).with("options", options)
}

/// Of choices that depend on what is set: the page makes them.
pub(super) fn choice_of(path: &'static str, name: &'static str, which: &str) -> Field {
    Field::new("choice", path, name).with("options_of", which)
}

/// Something that the page does.
pub(super) fn action(does: &str, text: &str, name: &'static str) -> Field {
    Field::new("action", "", name).with("does", does).with("text", text)
}

pub(super) fn text(path: &'static str, name: &'static str) -> Field {
    Field::new("text", path, name)
}

impl Field {
    /// A text within something that is not there without it, and begins as this.
    pub fn within(self, fresh: &impl Serialize) -> Self {
        self.with("within", json!(fresh))
    }
}
