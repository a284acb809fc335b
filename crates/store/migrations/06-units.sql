-- Units in which the shop is shown its numbers; what is kept stays in °C and mm.
CREATE TABLE house_units (
  one INTEGER PRIMARY KEY CHECK (one = 1),
  temperature TEXT NOT NULL CHECK (temperature IN ('celsius', 'fahrenheit')),
  length TEXT NOT NULL CHECK (length IN ('millimetre', 'inch'))
) STRICT;
-- Notes are looked through by words; the rest of the book isn't.
CREATE INDEX logbook_notes ON logbook(id) WHERE kind = 'note';
