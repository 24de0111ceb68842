//! Any source as one type, so that long computations are compiled once, in the core, with all optimisations, and not
//! again for each source of each crate.

use super::{Chroma, Component, FrameSource, Window};
use crate::geometry::{PixelRect, Size};
use crate::time::Frame;

/// A frame could not be had; why, is kept aside.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Lost;

/// A source of any kind.
pub(crate) struct AnySource<'a>(&'a mut dyn Frames);

/// A source and what went wrong with it.
struct Kept<'a, S: FrameSource> {
    source: &'a mut S,
    error: Option<S::Error>,
}

/// What a [`FrameSource`] does, whatever its errors are.
trait Frames: Send {
    fn size(&self) -> Size;
    fn windows(&mut self, frame: Frame, rect: PixelRect, components: &[Component]) -> Result<Vec<Window>, Lost>;
    fn window(&mut self, frame: Frame, rect: PixelRect, component: Component) -> Result<Window, Lost>;
    fn chroma(&mut self, frame: Frame, rect: PixelRect) -> Result<Option<Chroma>, Lost>;
}

impl<S: FrameSource> Kept<'_, S> {
    fn had<T>(&mut self, read: impl FnOnce(&mut S) -> Result<T, S::Error>) -> Result<T, Lost> {
        read(self.source).map_err(|error| {
            self.error.get_or_insert(error);
            Lost
        })
    }
}

impl<S: FrameSource> Frames for Kept<'_, S> {
    fn size(&self) -> Size {
        self.source.size()
    }

    fn windows(&mut self, frame: Frame, rect: PixelRect, components: &[Component]) -> Result<Vec<Window>, Lost> {
        self.had(|source| source.windows(frame, rect, components))
    }

    fn window(&mut self, frame: Frame, rect: PixelRect, component: Component) -> Result<Window, Lost> {
        self.had(|source| source.window(frame, rect, component))
    }

    fn chroma(&mut self, frame: Frame, rect: PixelRect) -> Result<Option<Chroma>, Lost> {
        self.had(|source| source.chroma(frame, rect))
    }
}

impl FrameSource for AnySource<'_> {
    type Error = Lost;

    fn size(&self) -> Size {
        self.0.size()
    }

    fn window(&mut self, frame: Frame, rect: PixelRect, component: Component) -> Result<Window, Lost> {
        self.0.window(frame, rect, component)
    }

    fn chroma(&mut self, frame: Frame, rect: PixelRect) -> Result<Option<Chroma>, Lost> {
        self.0.chroma(frame, rect)
    }

    fn windows(&mut self, frame: Frame, rect: PixelRect, components: &[Component]) -> Result<Vec<Window>, Lost> {
        self.0.windows(frame, rect, components)
    }
}

/// Does some work on a source of any kind.
///
/// # Errors
/// The first of the source.
pub(crate) fn with_any<S: FrameSource, T>(
    source: &mut S,
    work: impl FnOnce(&mut AnySource<'_>) -> Result<T, Lost>,
) -> Result<T, S::Error> {
    with_all(std::slice::from_mut(source), |sources| work(&mut sources[0]))
}

/// Does some work on several, which may be shared among threads.
///
/// # Errors
/// The first of the first source that has one.
pub(crate) fn with_all<S: FrameSource, T>(
    sources: &mut [S],
    work: impl FnOnce(&mut [AnySource<'_>]) -> Result<T, Lost>,
) -> Result<T, S::Error> {
    let mut kept: Vec<Kept<'_, S>> = sources.iter_mut().map(|source| Kept { source, error: None }).collect();
    let mut any: Vec<AnySource<'_>> = kept.iter_mut().map(|kept| AnySource(kept)).collect();
    work(&mut any)
        .map_err(|Lost| kept.into_iter().find_map(|kept| kept.error).expect("what was lost was lost by one of them"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::image::{Plane, PlaneStack};

    /// Has frames up to a number.
    struct Short(PlaneStack, u32);

    impl FrameSource for Short {
        type Error = String;

        fn size(&self) -> Size {
            self.0.size()
        }

        fn window(&mut self, frame: Frame, rect: PixelRect, component: Component) -> Result<Window, String> {
            if frame.0 < self.1 {
                self.0.window(frame, rect, component).map_err(|never| match never {})
            } else {
                Err(format!("no frame {frame}"))
            }
        }
    }

    fn short(frames: u32) -> Short {
        let plane = Plane::from_fn(Size::new(8, 8), |col, row| (col * 9 + row) as u8);
        Short(PlaneStack::new(vec![plane; frames as usize]).unwrap(), frames)
    }

    #[test]
    fn windows_are_the_sources_own_and_so_is_what_went_wrong_first() {
        let rect = PixelRect { left: 2, top: 3, right: 6, bottom: 5 };
        let want = short(3).window(Frame(1), rect, Component::Luma).unwrap();
        let read = |source: &mut AnySource<'_>, frame: u32| source.window(Frame(frame), rect, Component::Luma);
        let got = with_any(&mut short(3), |source| read(source, 1)).unwrap();
        assert_eq!((got.plane, got.left, got.top), (want.plane, want.left, want.top));
        let both = with_any(&mut short(3), |source| {
            let _ = read(source, 7);
            read(source, 9)
        });
        assert_eq!(both.unwrap_err(), "no frame 7");
        let of_two = with_all(&mut [short(3), short(5)], |sources| {
            read(&mut sources[0], 2)?;
            read(&mut sources[1], 6)
        });
        assert_eq!(of_two.unwrap_err(), "no frame 6");
    }
}
