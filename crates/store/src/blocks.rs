//! The shop's own begin and end of test pieces, by printer.

use rusqlite::{OptionalExtension, params};

use crate::{Store, StoreError};

impl Store {
    /// Begin and end of a printer's test pieces; blank for the usual ones.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn print_blocks(&self, printer_id: i64) -> Result<[String; 2], StoreError> {
        let found = self
            .conn
            .query_row(
                "SELECT begin_text, end_text FROM print_block WHERE printer_id = ?1",
                [printer_id],
                |r| Ok([r.get(0)?, r.get(1)?]),
            )
            .optional()?;
        Ok(found.unwrap_or_default())
    }

    /// Keeps them.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn put_print_blocks(
        &mut self,
        printer_id: i64,
        [begin, end]: [&str; 2],
        at: &str,
    ) -> Result<(), StoreError> {
        self.conn.execute(
            "INSERT INTO print_block (printer_id, begin_text, end_text, at) VALUES (?1, ?2, ?3, ?4)
             ON CONFLICT(printer_id) DO UPDATE
             SET begin_text = excluded.begin_text, end_text = excluded.end_text, at = excluded.at",
            params![printer_id, begin, end, at],
        )?;
        Ok(())
    }
}
