//! Connections: bounded in number and time, so that whatever holds the others up, the next one is answered.

use std::collections::BTreeMap;
use std::net::{IpAddr, SocketAddr};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use crate::system::open_files;

use axum::Router;
use axum::extract::Request;
use hyper::body::Incoming;
use hyper_util::rt::{TokioIo, TokioTimer};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::Notify;
use tokio::task::JoinSet;
use tokio::time::{Instant, sleep, timeout};
use tower::ServiceExt as _;

/// A request's head must be there by then, and an idle connection ends.
const HEAD_PATIENCE: Duration = Duration::from_secs(15);
/// Answers under way at the end of the server get this long.
const END_PATIENCE: Duration = Duration::from_secs(2);
/// A connection that did nothing for this long may make room for another.
const MAY_GO_AFTER: Duration = Duration::from_millis(200);
/// A request under way for this long may make room for another: a body that never comes.
const STUCK_AFTER: Duration = Duration::from_secs(8);
/// The same once even the reserve is being used up.
const STUCK_IN_NEED: Duration = Duration::from_millis(500);
/// Connections beyond the bound before that.
const RESERVE: usize = 60;
/// Descriptors that are not for connections: the data file, printers, pages being sent.
const OTHER_DESCRIPTORS: u64 = 200;
/// Connections at most, whatever the system allows.
const MOST_CONNECTIONS: u64 = 700;

#[derive(Debug)]
struct Entry {
    peer: IpAddr,
    /// Since when a request is under way; none while it is idle.
    busy: Option<Instant>,
    idle_since: Instant,
    close: Arc<Notify>,
}

/// All open connections.
#[derive(Clone, Debug)]
struct Connections {
    open: Arc<Mutex<BTreeMap<u64, Entry>>>,
    most: usize,
}

/// How many connections fit into what the system lets this process open.
fn room() -> usize {
    let most = open_files()
        .saturating_sub(OTHER_DESCRIPTORS)
        .clamp(16, MOST_CONNECTIONS);
    // OK because at most 700.
    usize::try_from(most).unwrap_or(16)
}

impl Connections {
    fn lock(&self) -> MutexGuard<'_, BTreeMap<u64, Entry>> {
        self.open.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Makes room for one more, if all is taken: the one that is idle longest, else the request that is
    /// stuck longest; of whoever has most. False if nobody can go.
    fn make_room(&self) -> bool {
        let mut open = self.lock();
        if open.len() < self.most {
            return true;
        }
        let mut of_peer: BTreeMap<IpAddr, usize> = BTreeMap::new();
        for e in open.values() {
            *of_peer.entry(e.peer).or_default() += 1;
        }
        let share = |e: &Entry| std::cmp::Reverse(of_peer.get(&e.peer).copied().unwrap_or(0));
        let idle = open
            .iter()
            .filter(|(_, e)| e.busy.is_none() && e.idle_since.elapsed() > MAY_GO_AFTER)
            .min_by_key(|(_, e)| (share(e), e.idle_since));
        let patience = if open.len() > self.most + RESERVE {
            STUCK_IN_NEED
        } else {
            STUCK_AFTER
        };
        let stuck = || {
            open.iter()
                .filter(|(_, e)| e.busy.is_some_and(|b| b.elapsed() > patience))
                .min_by_key(|(_, e)| (share(e), e.busy))
        };
        let Some(goes) = idle.or_else(stuck).map(|(id, _)| *id) else {
            return false;
        };
        // Off the list at once: in a burst the next one makes room by another.
        if let Some(e) = open.remove(&goes) {
            e.close.notify_one();
        }
        true
    }

    fn change(&self, id: u64, change: impl FnOnce(&mut Entry)) {
        if let Some(e) = self.lock().get_mut(&id) {
            change(e);
        }
    }
}

/// Ends a connection's entry with the connection.
struct Registered(Connections, u64);

impl Drop for Registered {
    fn drop(&mut self) {
        self.0.lock().remove(&self.1);
    }
}

/// Answers on `listener` until `stop` resolves, runs `end`, and gives answers under way a moment more.
pub async fn serve(
    listener: TcpListener,
    router: Router,
    stop: impl Future<Output = ()>,
    end: impl Future<Output = ()>,
) {
    let connections = Connections {
        open: Arc::default(),
        most: room(),
    };
    let mut tasks = JoinSet::new();
    let mut next = 0_u64;
    tokio::pin!(stop);
    loop {
        let accepted = tokio::select! {
            biased;
            () = &mut stop => break,
            a = listener.accept() => a,
            Some(_) = tasks.join_next() => continue,
        };
        match accepted {
            Ok((stream, peer)) => {
                // Whoever comes when nobody can go is let in all the same: the room is well below what
                // the system allows, and a stop must never stand outside.
                connections.make_room();
                next += 1;
                tasks.spawn(answer(
                    connections.clone(),
                    next,
                    stream,
                    peer,
                    router.clone(),
                ));
            }
            Err(e) => {
                tracing::warn!(error = %e, "a connection was not taken");
                connections.make_room();
                sleep(Duration::from_millis(20)).await;
            }
        }
    }
    drop(listener);
    end.await;
    for e in connections.lock().values().filter(|e| e.busy.is_none()) {
        e.close.notify_one();
    }
    let _ = timeout(END_PATIENCE, async {
        while tasks.join_next().await.is_some() {}
    })
    .await;
    // What is half sent now is given up.
    tasks.shutdown().await;
}

async fn answer(
    connections: Connections,
    id: u64,
    stream: TcpStream,
    peer: SocketAddr,
    router: Router,
) {
    let _ = stream.set_nodelay(true);
    let close = Arc::new(Notify::new());
    connections.lock().insert(
        id,
        Entry {
            peer: peer.ip(),
            busy: None,
            idle_since: Instant::now(),
            close: Arc::clone(&close),
        },
    );
    let registered = Registered(connections.clone(), id);
    let service = hyper::service::service_fn(move |request: Request<Incoming>| {
        let router = router.clone();
        let connections = connections.clone();
        async move {
            connections.change(id, |e| e.busy = Some(Instant::now()));
            let answer = router.oneshot(request.map(axum::body::Body::new)).await;
            connections.change(id, |e| {
                e.busy = None;
                e.idle_since = Instant::now();
            });
            answer
        }
    });
    let serving = hyper::server::conn::http1::Builder::new()
        .timer(TokioTimer::new())
        .header_read_timeout(HEAD_PATIENCE)
        .max_buf_size(64 * 1024)
        .serve_connection(TokioIo::new(stream), service)
        .with_upgrades();
    tokio::select! {
        // A client that hangs up or sends rubbish is no failure of the server.
        _ = serving => {}
        () = close.notified() => {}
    }
    drop(registered);
}
