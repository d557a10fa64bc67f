CREATE TABLE clinic (id serial PRIMARY KEY, name varchar(80) NOT NULL, street varchar(80) NOT NULL, house_number varchar(8), city varchar(60) NOT NULL,
  postal_code varchar(12) NOT NULL, country_code char(2) NOT NULL, phone varchar(30) NOT NULL, email varchar(120), website varchar(200), opened_on date NOT NULL, bed_count smallint NOT NULL);
CREATE TABLE vet (id serial PRIMARY KEY, clinic_id integer NOT NULL REFERENCES clinic, first_name varchar(40) NOT NULL, last_name varchar(40) NOT NULL, title varchar(10),
  email varchar(120) NOT NULL UNIQUE, licence_no varchar(20) NOT NULL UNIQUE, specialty varchar(40), hired_on date NOT NULL, left_on date, hourly_rate numeric(8,2) NOT NULL, is_partner boolean NOT NULL DEFAULT false);
CREATE TABLE keeper (id serial PRIMARY KEY, full_name varchar(90) NOT NULL, email varchar(120), mobile varchar(30), street varchar(90), city varchar(60), postal_code varchar(12),
  emergency_contact_name varchar(90), emergency_contact_phone varchar(30), newsletter boolean NOT NULL DEFAULT true, registered_at timestamptz NOT NULL, notes text);
CREATE TABLE species (id serial PRIMARY KEY, name varchar(40) NOT NULL UNIQUE, latin_name varchar(80));
CREATE TABLE animal (id serial PRIMARY KEY, keeper_id integer NOT NULL REFERENCES keeper, species_id integer NOT NULL REFERENCES species, name varchar(40) NOT NULL, breed varchar(60),
  sex char(1) NOT NULL, born_on date, died_on date, weight_kg numeric(6,2) NOT NULL, colour varchar(30), microchip varchar(15) UNIQUE, is_neutered boolean NOT NULL, insurance_no varchar(24), photo bytea);
CREATE TABLE appointment (id serial PRIMARY KEY, animal_id integer NOT NULL REFERENCES animal, vet_id integer NOT NULL REFERENCES vet, room varchar(20) NOT NULL, reason varchar(120) NOT NULL,
  status varchar(20) NOT NULL DEFAULT 'booked', starts_at timestamptz NOT NULL, ends_at timestamptz NOT NULL, checked_in_at timestamptz, cancelled_at timestamptz, cancel_reason varchar(120), created_at timestamptz NOT NULL DEFAULT now());
CREATE TABLE treatment (id serial PRIMARY KEY, appointment_id integer NOT NULL REFERENCES appointment, diagnosis varchar(120) NOT NULL, description text NOT NULL, temperature_c numeric(4,1), heart_rate smallint, follow_up_days smallint, price numeric(9,2) NOT NULL);
CREATE TABLE medicine (id serial PRIMARY KEY, name varchar(80) NOT NULL UNIQUE, dosage_form varchar(30), strength_mg numeric(8,2), batch_no varchar(20), expires_on date NOT NULL, stock_qty integer NOT NULL, unit_price numeric(8,2) NOT NULL, requires_prescription boolean NOT NULL);
