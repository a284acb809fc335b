//! Connecting and disconnecting printers.

use std::time::Duration;

use wattotherm_gcode::GuardLimits;
use wattotherm_heat::Cooling;
use wattotherm_link::{Address, Link, LinkOptions, LinkState};
use wattotherm_store::{Connection, HeatOn};

use super::heat::{LeftOver, Logged};
use super::{Connected, Live, LivePrinter, limits_of, not_connected};
use crate::error::ApiError;
use crate::moment::now;
use crate::state::App;

/// What a printer is connected with.
struct Known {
    name: String,
    limits: GuardLimits,
    cooling: Cooling,
    left: Vec<HeatOn>,
    zero_left: bool,
}

impl Live {
    fn add(&self, printer_id: i64, link: Link, known: Known) {
        self.lock().insert(
            printer_id,
            Connected {
                name: known.name,
                link,
                limits: known.limits,
                cooling: known.cooling,
                routine: None,
                kept: 0,
                left_over: LeftOver::of(&known.left, known.zero_left),
                noted: Vec::new(),
                heat_since: None,
                idle_off_in_s: None,
                trace_alarm: None,
                logged: Logged::default(),
            },
        );
    }
}

impl App {
    /// Connects a printer; an older link of it is closed first.
    /// # Errors
    /// [`ApiError`] of the store.
    pub async fn connect(
        &self,
        printer_id: i64,
        address: Address,
        report_every_s: f64,
    ) -> Result<LivePrinter, ApiError> {
        if !self.may_connect() {
            return Err(ApiError::Forbidden(
                "This server listens beyond this computer, and there is no sign-in yet: printers can’t be connected. Start it with --listen 127.0.0.1.",
            ));
        }
        let keep = address.clone();
        let known = self
            .with(move |store| {
                let (name, limits) = limits_of(store, printer_id)?;
                let left = store.heat_on()?;
                let house = store.house()?;
                let known = Known {
                    name,
                    limits,
                    cooling: store.cooling(printer_id)?.unwrap_or_default(),
                    left: left
                        .into_iter()
                        .filter(|h| h.printer_id == printer_id)
                        .collect(),
                    zero_left: house.option(wattotherm_job::house::RuleId::DeadHeat).id == "zero",
                };
                store.put_connection(&Connection {
                    printer_id,
                    address: serde_json::to_string(&keep).unwrap_or_default(),
                    wanted: true,
                })?;
                Ok(known)
            })
            .await?;
        // Not connected before is no failure here.
        let _ = self.live.disconnect(printer_id).await;
        let options = LinkOptions::new(known.limits.clone())
            .reporting_every(report_every_s)
            .running_in(self.live.links.clone());
        let link = Link::start(address.opener(), &address.says(), options);
        let mut watch = link.watch();
        self.live.add(printer_id, link, known);
        self.live.show();
        // The first answer, or the first failure, is worth a short wait.
        let settled = watch.until(|s| {
            s.state == LinkState::Lost
                || (s.state == LinkState::Connected && s.temperatures.is_some())
        });
        let _ = tokio::time::timeout(Duration::from_secs(4), settled).await;
        self.live.show();
        // Somebody else may have disconnected it meanwhile.
        self.live.one(printer_id).ok_or_else(not_connected)
    }

    /// Closes a printer's link and remembers that it is wanted no more; what could be said of it.
    /// # Errors
    /// [`ApiError::Conflict`] if it isn't connected.
    pub async fn disconnect(&self, printer_id: i64) -> Result<String, ApiError> {
        self.keep_record().await;
        let before = self.live.link(printer_id)?;
        let says = self.live.disconnect(printer_id).await?;
        self.live.show();
        let after = before.status();
        let sure = after.stopping.is_none() && after.own_heat.is_empty();
        self.with(move |store| {
            let known = store
                .connections()?
                .into_iter()
                .find(|c| c.printer_id == printer_id);
            if let Some(c) = known {
                store.put_connection(&Connection { wanted: false, ..c })?;
            }
            if sure {
                store.heat_is_off(printer_id, &now())?;
            }
            Ok(())
        })
        .await?;
        Ok(says)
    }

    /// Connects every printer that was connected when the server ended.
    pub async fn connect_wanted(&self) {
        let wanted = self.read(|store| Ok(store.connections()?)).await;
        let away = |c: &Connection| c.wanted && self.live.one(c.printer_id).is_none();
        for c in wanted.unwrap_or_default().into_iter().filter(away) {
            if let Ok(address) = serde_json::from_str::<Address>(&c.address) {
                let app = self.clone();
                tokio::spawn(async move {
                    if let Err(e) = app.connect(c.printer_id, address, 1.0).await {
                        tracing::warn!(error = %e, "a printer was not connected");
                    }
                });
            }
        }
    }
}
