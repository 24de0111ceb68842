//! Work shared among the threads that the caller allows.

use std::sync::Mutex;

/// Does `work` on every item, on one thread for each hand; results in the order of the items, so that it makes no
/// difference how many hands there are. `hands` is not empty.
///
/// # Errors
/// The first error in the order of the items; items after it may not have been begun.
pub(super) fn share<H, T, R, E>(
    hands: &mut [H],
    items: Vec<T>,
    work: impl Fn(&mut H, T) -> Result<R, E> + Sync,
) -> Result<Vec<R>, E>
where
    H: Send,
    T: Send,
    R: Send,
    E: Send,
{
    let needed = hands.len().min(items.len()).max(1);
    let queue = Mutex::new(items.into_iter().enumerate());
    let next = || queue.lock().expect("no thread panics while it holds the queue").next();
    let labour = |hand: &mut H| {
        let mut done: Vec<(usize, Result<R, E>)> = Vec::new();
        while let Some((index, item)) = next() {
            let result = work(hand, item);
            let failed = result.is_err();
            done.push((index, result));
            if failed {
                break;
            }
        }
        done
    };
    let (mine, others) = hands[..needed].split_first_mut().expect("at least one hand");
    let mut done = std::thread::scope(|scope| {
        let others: Vec<_> = others.iter_mut().map(|hand| scope.spawn(|| labour(hand))).collect();
        let mut done = labour(mine);
        for other in others {
            done.extend(other.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)));
        }
        done
    });
    done.sort_by_key(|(index, _)| *index);
    done.into_iter().map(|(_, result)| result).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn results_come_in_order_whatever_the_number_of_hands() {
        for hands in 1..5 {
            let items: Vec<u64> = (0..23).collect();
            let squares: Result<Vec<u64>, ()> = share(&mut vec![0; hands], items, |done, item| {
                *done += 1;
                Ok(item * item)
            });
            assert_eq!(squares.unwrap(), (0..23).map(|item| item * item).collect::<Vec<u64>>(), "{hands} hands");
        }
        let nothing: Result<Vec<u8>, ()> = share(&mut [()], Vec::<u8>::new(), |(), item| Ok(item));
        assert_eq!(nothing, Ok(Vec::new()));
    }

    #[test]
    fn the_first_error_is_given() {
        for hands in 1..4 {
            let fails = |_: &mut (), item: u32| if item % 4 == 3 { Err(item) } else { Ok(item) };
            assert_eq!(share(&mut vec![(); hands], (0..20).collect(), fails), Err(3), "{hands} hands");
        }
    }
}
