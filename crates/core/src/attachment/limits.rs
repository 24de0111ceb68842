//! Between what a number among the settings has to lie.

use super::kind::Attachment;
use super::settings::SettingProblem;

/// More than any whole number may be.
const TOO_MUCH: f64 = u32::MAX as f64;

impl Attachment {
    /// Least and most of the number at an address; `None` where there is none, or one that may be anything. Asked of
    /// the check itself, so that nobody else has to know: what is no number is refused with its limits.
    pub fn limits_of(&self, address: &str) -> Option<(f64, f64)> {
        [f64::NAN, TOO_MUCH].into_iter().find_map(|bad| {
            let mut tried = self.clone();
            tried.number(address)?.set(bad);
            match tried.check_as_set() {
                Err(SettingProblem::Number { least, most, .. }) => Some((least, most)),
                _ => None,
            }
        })
    }
}

#[cfg(test)]
mod tests {
    use uuid::Uuid;

    use super::*;
    use crate::attachment::{AttachmentKind, Flare, Label};
    use crate::geometry::Size;

    #[test]
    fn limits_are_those_of_the_check() {
        let label = Attachment::label(Uuid::nil(), Label::new());
        assert_eq!(label.limits_of("size"), Some((4.0, 400.0)));
        assert_eq!(label.limits_of("show.shutter"), Some((0.0, 360.0)));
        assert_eq!(label.limits_of("outline.width"), None, "there is no outline");
        let flare = Flare::looks(Size::new(1280, 720)).remove(0).flare;
        let flare = Attachment::new(Uuid::nil(), AttachmentKind::Flare(flare));
        assert_eq!(flare.limits_of("rays"), Some((0.0, 60.0)), "a whole number");
        assert_eq!(flare.limits_of("nothing"), None);
    }
}
