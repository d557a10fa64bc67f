-- Saltmarsh Ferries: an invented company that sails among invented islands.
-- Standard SQL that PostgreSQL, MariaDB and SQLite accept.

CREATE TABLE operator_settings (
    operator_settings_id integer PRIMARY KEY CHECK (operator_settings_id = 1),
    operator_name varchar(80) NOT NULL,
    support_email varchar(120) NOT NULL,
    currency char(3) NOT NULL,
    booking_opens_days integer NOT NULL CHECK (booking_opens_days BETWEEN 30 AND 365)
);

CREATE TABLE island (
    island_id char(36) PRIMARY KEY,
    code char(3) NOT NULL UNIQUE,
    name varchar(60) NOT NULL UNIQUE,
    area_km2 numeric(7, 2) NOT NULL CHECK (area_km2 > 0)
);

CREATE TABLE port (
    port_id integer PRIMARY KEY,
    island_id char(36) NOT NULL REFERENCES island (island_id) ON DELETE RESTRICT,
    name varchar(60) NOT NULL UNIQUE,
    slug varchar(60) NOT NULL UNIQUE,
    latitude numeric(8, 5) NOT NULL CHECK (latitude BETWEEN 54.5 AND 56.5),
    longitude numeric(8, 5) NOT NULL CHECK (longitude BETWEEN -8.5 AND -5.5),
    depth_m numeric(4, 1) NOT NULL CHECK (depth_m >= 2.5 AND depth_m <= 18)
);

CREATE TABLE vessel (
    vessel_id integer PRIMARY KEY,
    home_port_id integer NOT NULL REFERENCES port (port_id) ON DELETE RESTRICT,
    name varchar(60) NOT NULL UNIQUE,
    call_sign char(5) NOT NULL UNIQUE,
    passenger_capacity integer NOT NULL CHECK (passenger_capacity BETWEEN 12 AND 900),
    deck_length_m numeric(5, 1) NOT NULL CHECK (deck_length_m >= 0),
    commissioned_on date NOT NULL,
    retired_on date,
    CHECK (retired_on IS NULL OR retired_on > commissioned_on)
);

-- the pilot boat of a port has its own home port: a cycle
ALTER TABLE port ADD COLUMN pilot_vessel_id integer REFERENCES vessel (vessel_id) ON DELETE SET NULL;

CREATE TABLE passenger (
    passenger_id bigint PRIMARY KEY,
    given_name varchar(60) NOT NULL,
    family_name varchar(60) NOT NULL,
    email varchar(120) NOT NULL UNIQUE,
    phone varchar(20),
    born_on date NOT NULL,
    joined_at timestamp NOT NULL,
    marketing_consent boolean NOT NULL,
    loyalty_tier varchar(10) NOT NULL CHECK (loyalty_tier IN ('none', 'silver', 'gold'))
);

CREATE TABLE sailing (
    sailing_id integer PRIMARY KEY,
    vessel_id integer NOT NULL REFERENCES vessel (vessel_id) ON DELETE RESTRICT,
    from_port_id integer NOT NULL REFERENCES port (port_id) ON DELETE RESTRICT,
    to_port_id integer NOT NULL REFERENCES port (port_id) ON DELETE RESTRICT,
    departs_at timestamp NOT NULL,
    arrives_at timestamp NOT NULL,
    status varchar(10) NOT NULL CHECK (status IN ('scheduled', 'sailed', 'cancelled')),
    UNIQUE (vessel_id, departs_at),
    CONSTRAINT sailing_times CHECK (arrives_at > departs_at),
    CONSTRAINT sailing_ports CHECK (from_port_id <> to_port_id)
);

CREATE TABLE booking (
    booking_id bigint PRIMARY KEY,
    sailing_id integer NOT NULL REFERENCES sailing (sailing_id) ON DELETE CASCADE,
    passenger_id bigint NOT NULL REFERENCES passenger (passenger_id) ON DELETE RESTRICT,
    reference char(9) NOT NULL UNIQUE,
    booked_at timestamp NOT NULL,
    status varchar(10) NOT NULL CHECK (status IN ('held', 'paid', 'cancelled')),
    cancelled_at timestamp,
    passengers integer NOT NULL CHECK (passengers BETWEEN 1 AND 9),
    total numeric(8, 2) NOT NULL CHECK (total >= 0),
    remark varchar(160),
    CONSTRAINT booking_cancelled CHECK ((status = 'cancelled') = (cancelled_at IS NOT NULL)),
    CONSTRAINT booking_order CHECK (cancelled_at > booked_at)
);
