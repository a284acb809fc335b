-- Units in which the shop is shown its numbers; what is kept stays in °C and mm.
CREATE TABLE house_units (
  one INTEGER PRIMARY KEY CHECK (one = 1),
  temperature TEXT NOT NULL CHECK (temperature IN ('celsius', 'fahrenheit')),
  length TEXT NOT NULL CHECK (length IN ('millimetre', 'inch'))
) STRICT;
