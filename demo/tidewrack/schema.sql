-- Tidewrack Ferries: a made-up line. Figures are skewed on purpose: few routes, sailings and gates take most of the work.
CREATE EXTENSION IF NOT EXISTS pg_stat_statements;
SELECT setseed(0.42);

CREATE TABLE port (id int PRIMARY KEY, name text NOT NULL, island text NOT NULL);
INSERT INTO port SELECT i, (ARRAY['Sallow Quay','Brinehead','Otter Point','Kelder','Marrow Sound','Wick of Thole','Gannet Stair','Low Harrow','Pellan','Saltern'])[i],
       (ARRAY['Hale','Hale','Orrin','Orrin','Thole','Thole','Gannet','Harrow','Pellan','Pellan'])[i] FROM generate_series(1, 10) i;

CREATE TABLE vessel (id int PRIMARY KEY, name text NOT NULL, deck_slots int NOT NULL, berths int NOT NULL);
INSERT INTO vessel SELECT i, 'Tidewrack ' || (ARRAY['Kelp','Dulse','Bladder','Laver','Oarweed','Thong','Sugar','Mermaid','Sea Lace','Eelgrass','Coral','Pepper'])[i],
       60 + i * 10, 200 + i * 40 FROM generate_series(1, 12) i;

CREATE TABLE route (id int PRIMARY KEY, from_port int NOT NULL REFERENCES port, to_port int NOT NULL REFERENCES port, minutes int NOT NULL);
INSERT INTO route SELECT row_number() OVER (), a.id, b.id, 30 + 7 * abs(a.id - b.id) FROM port a, port b
 WHERE a.id <> b.id AND (a.id * 7 + b.id * 3) % 4 = 0;

CREATE TABLE sailing (id int PRIMARY KEY, route_id int NOT NULL REFERENCES route, vessel_id int NOT NULL REFERENCES vessel,
       departs_at timestamptz NOT NULL, state text NOT NULL DEFAULT 'planned', booked int NOT NULL DEFAULT 0);
INSERT INTO sailing SELECT i, 1 + floor(power(random(), 2.5) * (SELECT count(*) FROM route))::int, 1 + i % 12,
       date_trunc('hour', now()) - interval '300 days' + i * interval '25 minutes', 'planned', 0
  FROM generate_series(1, 20000) i;

CREATE TABLE fare (id int PRIMARY KEY, route_id int NOT NULL REFERENCES route, kind text NOT NULL, valid_from date NOT NULL, amount numeric(8,2) NOT NULL);
INSERT INTO fare SELECT row_number() OVER (), r.id, k, current_date - d * 30, 8 + r.minutes * 0.15 + length(k)
  FROM route r, unnest(ARRAY['adult','child','car','van','bicycle','cabin']) k, generate_series(0, 11) d;

CREATE TABLE customer (id int PRIMARY KEY, name text NOT NULL, email text NOT NULL);
INSERT INTO customer SELECT i, 'Customer ' || i, 'c' || i || '@example.invalid' FROM generate_series(1, 120000) i;

CREATE TABLE booking (id bigint PRIMARY KEY, reference text NOT NULL, customer_id int NOT NULL, sailing_id int NOT NULL,
       booked_at timestamptz NOT NULL, state text NOT NULL, amount numeric(8,2) NOT NULL, note text);
INSERT INTO booking SELECT i, upper(substr(md5(i::text), 1, 8)), 1 + floor(power(random(), 3) * 119999)::int,
       1 + floor(power(random(), 0.6) * 19999)::int, now() - random() * interval '300 days',
       (ARRAY['paid','paid','paid','paid','held','cancelled'])[1 + i % 6], 10 + (i % 190), repeat('-', (i % 40)::int)
  FROM generate_series(1, 1000000) i;

CREATE TABLE passenger (id bigint PRIMARY KEY, booking_id bigint NOT NULL, name text NOT NULL, kind text NOT NULL);
INSERT INTO passenger SELECT i, 1 + (i::bigint * 7919) % 1000000, 'Passenger ' || md5(i::text), (ARRAY['adult','adult','child'])[1 + i % 3]
  FROM generate_series(1, 1300000) i;

CREATE TABLE ticket (id bigint PRIMARY KEY, booking_id bigint NOT NULL, code text NOT NULL, used_at timestamptz);
INSERT INTO ticket SELECT i, 1 + (i::bigint * 31) % 1000000, md5('t' || i), NULL FROM generate_series(1, 300000) i;

CREATE TABLE deck_slot (sailing_id int NOT NULL REFERENCES sailing, slot_no int NOT NULL, booking_id bigint, held_until timestamptz,
       PRIMARY KEY (sailing_id, slot_no)) WITH (fillfactor = 60);
INSERT INTO deck_slot SELECT s.id, n, NULL, NULL FROM sailing s JOIN vessel v ON v.id = s.vessel_id, generate_series(1, v.deck_slots) n
 WHERE s.id BETWEEN 17281 AND 17680;

CREATE TABLE manifest (id bigserial PRIMARY KEY, sailing_id int NOT NULL, exported_at timestamptz NOT NULL DEFAULT now(), passengers int NOT NULL);
CREATE TABLE gate_scan (id bigserial PRIMARY KEY, ticket_id bigint NOT NULL, gate int NOT NULL, scanned_at timestamptz NOT NULL DEFAULT now());
CREATE TABLE gate_telemetry (id bigserial PRIMARY KEY, gate int NOT NULL, reading jsonb NOT NULL, at timestamptz NOT NULL DEFAULT now());
CREATE TABLE crew_member (id int PRIMARY KEY, name text NOT NULL, rank text NOT NULL);
INSERT INTO crew_member SELECT i, 'Crew ' || i, (ARRAY['deckhand','mate','engineer','steward','master'])[1 + i % 5] FROM generate_series(1, 600) i;
CREATE TABLE crew_roster (id bigserial PRIMARY KEY, sailing_id int NOT NULL, crew_id int NOT NULL, duty text NOT NULL);
INSERT INTO crew_roster (sailing_id, crew_id, duty) SELECT s, 1 + (s * 17 + n) % 600, 'watch ' || n FROM generate_series(1, 20000) s, generate_series(1, 8) n;

CREATE INDEX booking_customer_id_idx ON booking (customer_id);
CREATE INDEX booking_sailing_id_idx ON booking (sailing_id);
CREATE INDEX passenger_booking_id_idx ON passenger (booking_id);
CREATE INDEX ticket_code_idx ON ticket (code);
CREATE INDEX fare_route_id_idx ON fare (route_id, kind, valid_from);
CREATE INDEX sailing_departs_at_idx ON sailing (departs_at);
CREATE INDEX crew_roster_crew_id_idx ON crew_roster (crew_id);
CREATE INDEX crew_roster_sailing_id_idx ON crew_roster (sailing_id);
