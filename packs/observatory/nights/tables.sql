-- The tables of the Skarn observatories: who looked at which star through which telescope, and how bright it was.

CREATE TABLE site (
    site_id    integer PRIMARY KEY,
    name       text NOT NULL UNIQUE,
    altitude_m integer NOT NULL,
    latitude   double precision NOT NULL,
    longitude  double precision NOT NULL
);

CREATE TABLE telescope (
    telescope_id integer PRIMARY KEY,
    site_id      integer NOT NULL REFERENCES site,
    name         text NOT NULL UNIQUE,
    aperture_mm  integer NOT NULL CHECK (aperture_mm > 0),
    built        date NOT NULL
);

CREATE TABLE observer (
    observer_id integer PRIMARY KEY,
    name        text NOT NULL,
    joined      date NOT NULL
);

CREATE TABLE night (
    night_id integer PRIMARY KEY,
    site_id  integer NOT NULL REFERENCES site,
    day      date NOT NULL,                    -- on which the night began
    cloud    smallint CHECK (cloud BETWEEN 0 AND 100),
    seeing   numeric(3,1),
    UNIQUE (site_id, day)
);

CREATE TABLE star (
    star_id       integer PRIMARY KEY,
    designation   text NOT NULL UNIQUE,
    constellation text NOT NULL,
    variable      boolean NOT NULL
);

CREATE TABLE observation (
    observation_id integer PRIMARY KEY,
    night_id       integer NOT NULL REFERENCES night,
    telescope_id   integer NOT NULL REFERENCES telescope,
    observer_id    integer REFERENCES observer,  -- NULL: the telescope ran by itself
    star_id        integer NOT NULL REFERENCES star,
    begun_at       timestamp NOT NULL
);

CREATE TABLE measurement (
    measurement_id bigint PRIMARY KEY,
    observation_id integer NOT NULL REFERENCES observation,
    taken_at       timestamp NOT NULL,
    filter         char(1) NOT NULL,
    magnitude      numeric(6,3),               -- NULL: the star was not found
    noise          double precision NOT NULL,
    usable         boolean NOT NULL
);
