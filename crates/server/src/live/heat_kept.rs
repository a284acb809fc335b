//! What the store is told of heat, and what is said of it at the end.

use std::sync::Arc;
use std::time::Duration;

use wattotherm_gcode::Heater;
use wattotherm_job::house::ToleranceId;
use wattotherm_store::HeatOn;

use crate::error::ApiError;
use crate::moment::now;
use crate::state::App;

impl App {
    /// Keeps on disk that heat is about to be switched on, before it is.
    /// # Errors
    /// [`ApiError`] of the store: what can't be kept isn't switched on.
    pub async fn note_heat(
        &self,
        printer_id: i64,
        heater: Heater,
        target_c: f64,
        why: &str,
    ) -> Result<(), ApiError> {
        let heat = HeatOn {
            printer_id,
            heater,
            target_c,
            why: why.to_owned(),
            at: now(),
        };
        self.with(move |store| Ok(store.put_heat_on(&heat)?)).await
    }

    /// Looks at all heat once, and tells the store what changed, with whatever an earlier write didn't keep.
    pub(super) async fn watch_heat(&self) {
        let allowed = self
            .read(|store| Ok(store.house()?.tolerance(ToleranceId::IdleHeatMin)))
            .await
            // A store that can't be read is no reason to leave heat on for longer.
            .unwrap_or_else(|_| ToleranceId::IdleHeatMin.spec().default);
        self.live
            .look_at_heat(Duration::from_secs_f64(allowed.clamp(0.1, 1_000.0) * 60.0));
        self.keep_heat().await;
    }

    /// Keeps what was seen of heat; what can't be kept now is tried again at the next look.
    pub(super) async fn keep_heat(&self) {
        let seen = self.live.heat_to_keep();
        if seen.is_empty() {
            return;
        }
        let seen = Arc::new(seen);
        let writes = Arc::clone(&seen);
        let kept = self
            .with(move |store| Ok(store.keep_heat_seen(&writes)?))
            .await;
        match kept {
            Ok(()) => self.live.heat_is_kept(&seen),
            Err(e) => {
                tracing::warn!(error = %e, "what became of heat was not kept yet");
                self.live.heat_is_unkept(Arc::unwrap_or_clone(seen));
            }
        }
    }

    /// The end of the server: heat that is ours to zero, confirmed, or said on stderr and in the logbook.
    pub async fn end(&self) {
        let unconfirmed = self.live.close().await;
        for (_, says) in &unconfirmed {
            // The server's own word, for whoever ends it in a terminal: not a log level's business.
            let _ =
                std::io::Write::write_all(&mut std::io::stderr(), format!("{says}\n").as_bytes());
        }
        let ids = self.live.ids();
        let seen = self.live.heat_to_keep();
        let keep = self.with(move |store| {
            store.keep_heat_seen(&seen)?;
            for id in ids {
                match unconfirmed.iter().find(|(u, _)| *u == id) {
                    Some((_, says)) => {
                        store.log_heat(id, &format!("The server ended. {says}"), &now())?;
                    }
                    None => store.heat_is_off(id, &now())?,
                }
            }
            Ok(())
        });
        // A disk that doesn't answer must not keep the process alive.
        match tokio::time::timeout(Duration::from_secs(2), keep).await {
            Ok(Ok(())) => {}
            Ok(Err(e)) => tracing::warn!(error = %e, "the end was not kept in the logbook"),
            Err(_) => {
                tracing::warn!("the end was not kept in the logbook: the disk does not answer");
            }
        }
        let _ = tokio::time::timeout(Duration::from_secs(1), self.keep_record()).await;
    }
}
