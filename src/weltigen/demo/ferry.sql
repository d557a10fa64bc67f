-- Saltmarsh Ferries: an invented company that sails among invented islands.
-- Standard SQL that PostgreSQL, MariaDB and SQLite accept.

CREATE TABLE operator_settings (
    operator_settings_id integer PRIMARY KEY CHECK (operator_settings_id = 1),
    operator_name varchar(80) NOT NULL,
    support_email varchar(120) NOT NULL,
    currency char(3) DEFAULT 'EUR' NOT NULL,
    booking_opens_days integer NOT NULL CHECK (booking_opens_days BETWEEN 30 AND 365)
);

CREATE TABLE island (
    island_id char(36) PRIMARY KEY,
    code char(3) NOT NULL UNIQUE,
    name varchar(60) NOT NULL UNIQUE,
    area_km2 numeric(7, 2) NOT NULL CHECK (area_km2 > 0)
);

CREATE TABLE vessel_class (
    vessel_class_id char(36) PRIMARY KEY,
    code char(2) NOT NULL UNIQUE,
    title varchar(60) NOT NULL
);

CREATE TABLE qualification (
    qualification_id char(36) PRIMARY KEY,
    code varchar(8) NOT NULL UNIQUE,
    title varchar(80) NOT NULL,
    valid_years integer CHECK (valid_years BETWEEN 1 AND 10)
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

-- a berth has a number of its own within its port
CREATE TABLE berth (
    port_id integer NOT NULL REFERENCES port (port_id) ON DELETE CASCADE,
    number smallint NOT NULL CHECK (number BETWEEN 1 AND 6),
    length_m numeric(5, 1) NOT NULL CHECK (length_m BETWEEN 15 AND 220),
    PRIMARY KEY (port_id, number)
);

CREATE TABLE vessel (
    vessel_id integer PRIMARY KEY,
    vessel_class_id char(36) NOT NULL REFERENCES vessel_class (vessel_class_id),
    home_port_id integer NOT NULL REFERENCES port (port_id) ON DELETE RESTRICT,
    name varchar(60) NOT NULL UNIQUE,
    call_sign char(5) NOT NULL UNIQUE,
    passenger_capacity integer NOT NULL CHECK (passenger_capacity BETWEEN 12 AND 900),
    deck_length_m numeric(5, 1) DEFAULT 0 NOT NULL CHECK (deck_length_m >= 0),
    commissioned_on date NOT NULL,
    retired_on date,
    CHECK (retired_on IS NULL OR retired_on > commissioned_on)
);

-- the pilot boat of a port has its own home port: a cycle
ALTER TABLE port ADD COLUMN pilot_vessel_id integer REFERENCES vessel (vessel_id) ON DELETE SET NULL;

CREATE TABLE safety_certificate (
    vessel_id integer PRIMARY KEY REFERENCES vessel (vessel_id) ON DELETE CASCADE,
    number varchar(20) NOT NULL UNIQUE,
    issued_on date NOT NULL,
    expires_on date NOT NULL,
    CONSTRAINT certificate_dates CHECK (expires_on > issued_on)
);

CREATE TABLE crew_member (
    crew_member_id integer PRIMARY KEY,
    reports_to_id integer REFERENCES crew_member (crew_member_id) ON DELETE SET NULL,
    given_name varchar(60) NOT NULL,
    family_name varchar(60) NOT NULL,
    email varchar(120) NOT NULL UNIQUE,
    phone varchar(20),
    password_hash varchar(120) NOT NULL,
    hired_on date NOT NULL
);

CREATE TABLE crew_qualification (
    crew_member_id integer NOT NULL REFERENCES crew_member (crew_member_id) ON DELETE CASCADE,
    qualification_id char(36) NOT NULL REFERENCES qualification (qualification_id),
    awarded_on date NOT NULL,
    PRIMARY KEY (crew_member_id, qualification_id)
);

CREATE TABLE route (
    route_id integer PRIMARY KEY,
    from_port_id integer NOT NULL REFERENCES port (port_id) ON DELETE RESTRICT,
    to_port_id integer NOT NULL REFERENCES port (port_id) ON DELETE RESTRICT,
    distance_nm numeric(5, 1) NOT NULL CHECK (distance_nm > 0),
    duration_minutes integer NOT NULL CHECK (duration_minutes BETWEEN 10 AND 720),
    UNIQUE (from_port_id, to_port_id),
    CONSTRAINT route_ports CHECK (from_port_id <> to_port_id)
);

CREATE TABLE fare (
    route_id integer NOT NULL REFERENCES route (route_id) ON DELETE CASCADE,
    fare_class varchar(10) NOT NULL CHECK (fare_class IN ('adult', 'child', 'islander', 'group')),
    price numeric(7, 2) NOT NULL CHECK (price > 0),
    PRIMARY KEY (route_id, fare_class)
);

CREATE TABLE sailing (
    sailing_id integer PRIMARY KEY,
    vessel_id integer NOT NULL REFERENCES vessel (vessel_id) ON DELETE RESTRICT,
    route_id integer NOT NULL REFERENCES route (route_id) ON DELETE RESTRICT,
    departs_at timestamp NOT NULL,
    arrives_at timestamp NOT NULL,
    status varchar(10) DEFAULT 'scheduled' NOT NULL CHECK (status IN ('scheduled', 'sailed', 'cancelled')),
    UNIQUE (vessel_id, departs_at),
    UNIQUE (sailing_id, route_id),
    CONSTRAINT sailing_times CHECK (arrives_at > departs_at)
);

-- whoever sails does so by a qualification of their own, and once on each sailing
CREATE TABLE sailing_crew (
    sailing_id integer NOT NULL REFERENCES sailing (sailing_id) ON DELETE CASCADE,
    crew_member_id integer NOT NULL,
    qualification_id char(36) NOT NULL,
    role varchar(12) NOT NULL CHECK (role IN ('master', 'mate', 'engineer', 'deckhand')),
    PRIMARY KEY (sailing_id, crew_member_id),
    CONSTRAINT qualified FOREIGN KEY (crew_member_id, qualification_id)
        REFERENCES crew_qualification (crew_member_id, qualification_id) ON DELETE CASCADE
);

CREATE TABLE passenger (
    passenger_id bigint PRIMARY KEY,
    given_name varchar(60) NOT NULL,
    family_name varchar(60) NOT NULL,
    email varchar(120) NOT NULL UNIQUE,
    phone varchar(20),
    street varchar(80),
    postal_code varchar(10),
    city varchar(60),
    born_on date NOT NULL,
    joined_at timestamp NOT NULL,
    marketing_consent boolean DEFAULT false NOT NULL,
    loyalty_tier varchar(10) NOT NULL CHECK (loyalty_tier IN ('none', 'silver', 'gold')),
    photo_path varchar(120),
    CONSTRAINT passenger_address CHECK (
        (street IS NULL AND postal_code IS NULL AND city IS NULL) OR (street IS NOT NULL AND postal_code IS NOT NULL AND city IS NOT NULL)
    )
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
    UNIQUE (booking_id, sailing_id),
    CONSTRAINT booking_cancelled CHECK ((status = 'cancelled') = (cancelled_at IS NOT NULL)),
    CONSTRAINT booking_order CHECK (cancelled_at > booked_at)
);

-- a ticket is for its booking's sailing, that sailing's route, and a fare of that route
CREATE TABLE ticket (
    ticket_id bigint PRIMARY KEY,
    booking_id bigint NOT NULL,
    sailing_id integer NOT NULL,
    route_id integer NOT NULL,
    fare_class varchar(10) NOT NULL,
    seat char(4) NOT NULL,
    discount numeric(3, 2) DEFAULT 0 NOT NULL CHECK (discount BETWEEN 0 AND 0.5),
    price numeric(7, 2) NOT NULL CHECK (price >= 0),
    UNIQUE (sailing_id, seat),
    CONSTRAINT ticket_booking FOREIGN KEY (booking_id, sailing_id) REFERENCES booking (booking_id, sailing_id) ON DELETE CASCADE,
    CONSTRAINT ticket_route FOREIGN KEY (sailing_id, route_id) REFERENCES sailing (sailing_id, route_id),
    CONSTRAINT ticket_fare FOREIGN KEY (route_id, fare_class) REFERENCES fare (route_id, fare_class)
);

CREATE TABLE vehicle (
    vehicle_id bigint PRIMARY KEY,
    booking_id bigint NOT NULL UNIQUE REFERENCES booking (booking_id) ON DELETE CASCADE,
    plate varchar(10) NOT NULL,
    length_m numeric(4, 1) NOT NULL CHECK (length_m BETWEEN 1.5 AND 18)
);

CREATE TABLE remark (
    remark_id bigint PRIMARY KEY,
    ticket_id bigint NOT NULL UNIQUE REFERENCES ticket (ticket_id) ON DELETE CASCADE,
    written_at timestamp NOT NULL,
    rating smallint NOT NULL CHECK (rating BETWEEN 1 AND 5),
    body text NOT NULL
);

-- the table that gets large
CREATE TABLE tide_gauge (
    port_id integer NOT NULL REFERENCES port (port_id) ON DELETE CASCADE,
    read_at timestamp NOT NULL,
    level_m numeric(4, 2) NOT NULL CHECK (level_m BETWEEN -3 AND 9),
    PRIMARY KEY (port_id, read_at)
);

CREATE INDEX remark_written ON remark (written_at);
