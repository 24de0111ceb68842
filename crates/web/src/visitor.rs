//! Who asks, and for what.

use jampin_store::{LookLink, Person};
use uuid::Uuid;

use crate::needs::Needs;

/// Who asks.
#[derive(Clone, Debug)]
pub(crate) enum Visitor {
    /// Somebody who works here.
    Person(Person),
    /// Somebody who came by a link, to look at one shot.
    Guest(LookLink),
}

impl Visitor {
    /// The person, if they work here.
    pub fn person(&self) -> Option<Uuid> {
        match self {
            Self::Person(person) => Some(person.id),
            Self::Guest(_) => None,
        }
    }

    /// By what they are told from others.
    pub fn id(&self) -> Uuid {
        match self {
            Self::Person(person) => person.id,
            Self::Guest(link) => link.id,
        }
    }

    /// What they are called.
    pub fn name(&self) -> &str {
        match self {
            Self::Person(person) => &person.name,
            Self::Guest(link) => &link.name,
        }
    }
}

/// What somebody asked for: who they are and by which link they came, as their session says; what it needs; and of what.
pub(crate) type Asked = (Option<Uuid>, Option<Uuid>, Needs, Option<Uuid>);
