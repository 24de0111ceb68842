//! Threads for long work.

use tokio::sync::oneshot;

/// How far long work stands back behind requests (nice(2)).
const MODESTY: i32 = 3;
/// Does something on a thread that lets those go first that people wait for; so do the threads and programs that it
/// starts. The receiver gets an error when it panics, or when there is no thread to be had.
pub(crate) fn on_its_own_thread<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> oneshot::Receiver<T> {
    let (told, ended) = oneshot::channel();
    let work = move || {
        // Where the system refuses, it competes with the others as an equal.
        let _ = rustix::process::nice(MODESTY);
        // Nobody listens any more when the program ends.
        let _ = told.send(work());
    };
    drop(std::thread::Builder::new().name("work".into()).spawn(work));
    ended
}

#[cfg(test)]
mod tests {
    use super::on_its_own_thread;

    #[tokio::test]
    async fn work_that_panics_ends_with_an_error_and_the_next_goes_on() {
        assert!(on_its_own_thread(|| -> u8 { panic!("made to, by a test") }).await.is_err());
        assert_eq!(on_its_own_thread(|| 7).await, Ok(7));
    }
}
