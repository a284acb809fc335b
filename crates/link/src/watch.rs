//! A status that is told and watched without ever being held.
//!
//! A borrowed value of a watch channel is a read lock: whoever holds it while the same task writes stands
//! still for ever, and with it all that ask. So nothing here lends the value out; it is changed in a
//! closure and read as a copy. Lints of the workspace forbid the channel's own borrowing.

use tokio::sync::watch;

/// The writing end.
#[derive(Debug)]
pub struct Told<T>(watch::Sender<T>);

/// The reading end.
#[derive(Clone, Debug)]
pub struct Watch<T>(watch::Receiver<T>);

/// Both ends.
pub fn told<T>(first: T) -> (Told<T>, Watch<T>) {
    let (to, from) = watch::channel(first);
    (Told(to), Watch(from))
}

#[allow(clippy::disallowed_methods)] // the one place where the value is borrowed, for one copy
impl<T: Clone> Told<T> {
    /// The value as it is.
    pub fn now(&self) -> T {
        self.0.borrow().clone()
    }

    /// One part of it, copied out.
    pub fn get<R>(&self, part: impl FnOnce(&T) -> R) -> R
    where
        R: 'static,
    {
        part(&self.0.borrow())
    }

    /// Changes it.
    pub fn change(&self, change: impl FnOnce(&mut T)) {
        self.0.send_modify(change);
    }
}

#[allow(clippy::disallowed_methods)] // as above
impl<T: Clone> Watch<T> {
    /// The value as it is.
    #[must_use]
    pub fn now(&self) -> T {
        self.0.borrow().clone()
    }

    /// The value as it is; [`Watch::next`] waits for a later one.
    pub fn seen(&mut self) -> T {
        self.0.borrow_and_update().clone()
    }

    /// Waits for a value not seen yet; none when nobody tells any more.
    pub async fn next(&mut self) -> Option<T> {
        self.0.changed().await.ok()?;
        Some(self.seen())
    }

    /// Waits until it holds; none when nobody tells any more.
    pub async fn until(&mut self, mut holds: impl FnMut(&T) -> bool) -> Option<T> {
        self.0.wait_for(|v| holds(v)).await.ok().map(|v| v.clone())
    }
}
