-- The tables of the Heather Hill Beekeepers' cooperative.

CREATE TABLE apiary (
    apiary_id   integer PRIMARY KEY,
    name        text NOT NULL UNIQUE,
    valley      text NOT NULL,
    altitude_m  integer NOT NULL CHECK (altitude_m BETWEEN 0 AND 3000),
    founded     date NOT NULL
);

CREATE TABLE beekeeper (
    beekeeper_id integer PRIMARY KEY,
    name         text NOT NULL,
    village      text NOT NULL,
    joined       date NOT NULL,
    email        text,                                   -- not everybody has one
    mentor_id    integer REFERENCES beekeeper            -- founders had no mentor
);

-- Who looks after which apiary: several beekeepers an apiary, several apiaries a beekeeper.
CREATE TABLE care (
    apiary_id    integer NOT NULL REFERENCES apiary,
    beekeeper_id integer NOT NULL REFERENCES beekeeper,
    since        date NOT NULL,
    PRIMARY KEY (apiary_id, beekeeper_id)
);

CREATE TABLE hive (
    hive_id    integer PRIMARY KEY,
    apiary_id  integer NOT NULL REFERENCES apiary,
    name       text NOT NULL,
    kind       text NOT NULL CHECK (kind IN ('long', 'stacked', 'skep')),
    colour     text NOT NULL,
    strength   integer CHECK (strength BETWEEN 0 AND 10), -- frames of bees; NULL while the hive stands empty
    queen_year integer,                                   -- NULL: no queen was seen
    UNIQUE (apiary_id, name)
);

CREATE TABLE inspection (
    inspection_id integer PRIMARY KEY,
    hive_id       integer NOT NULL REFERENCES hive,
    beekeeper_id  integer NOT NULL REFERENCES beekeeper,
    day           date NOT NULL,
    brood_frames  integer NOT NULL,
    mites         integer,                               -- NULL: not counted that day; 0: counted, none found
    remark        text
);

CREATE TABLE grade (
    grade_code char(2) PRIMARY KEY,
    name       text NOT NULL,
    price_kg   numeric(6,2) NOT NULL
);

CREATE TABLE harvest (
    harvest_id integer PRIMARY KEY,
    hive_id    integer NOT NULL REFERENCES hive,
    grade_code char(2) NOT NULL REFERENCES grade,
    day        date NOT NULL,
    weight_kg  numeric(6,2) NOT NULL CHECK (weight_kg > 0),
    moisture   double precision                          -- share of water; NULL: not measured
);

CREATE TABLE buyer (
    buyer_id integer PRIMARY KEY,
    name     text NOT NULL,
    town     text NOT NULL,
    since    date NOT NULL
);

CREATE TABLE sale (
    sale_id   integer PRIMARY KEY,
    buyer_id  integer NOT NULL REFERENCES buyer,
    sold_at   timestamp NOT NULL,
    paid_on   date                                       -- NULL: not paid yet
);

-- What was in a sale: any number of grades, each once.
CREATE TABLE sale_line (
    sale_id    integer NOT NULL REFERENCES sale,
    grade_code char(2) NOT NULL REFERENCES grade,
    weight_kg  numeric(6,2) NOT NULL,
    price_kg   numeric(6,2) NOT NULL,
    PRIMARY KEY (sale_id, grade_code)
);

-- Swarms that were caught; there has been none yet.
CREATE TABLE swarm (
    swarm_id  integer PRIMARY KEY,
    hive_id   integer REFERENCES hive,
    caught_on date NOT NULL,
    place     text NOT NULL
);
