-- The database of the harbour office of Porto Salgueiro, for MariaDB. All of it is invented.
-- Plain SQL of a kind that grew over the years: generated, natural and composite keys, a self-reference,
-- one table without a key, one with names that have to be quoted.

CREATE TABLE vessel_type (
    code VARCHAR(4) NOT NULL PRIMARY KEY,
    name VARCHAR(40) NOT NULL UNIQUE,
    needs_pilot BOOLEAN NOT NULL DEFAULT 1
);

CREATE TABLE agent (
    id INTEGER AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(60) NOT NULL UNIQUE,
    contact_person VARCHAR(60),
    email VARCHAR(80),
    phone VARCHAR(24),
    credit_limit DECIMAL(12, 2) NOT NULL DEFAULT 10000 CHECK (credit_limit >= 0),
    parent_agent_id INTEGER REFERENCES agent (id)
);

CREATE TABLE vessel (
    id INTEGER AUTO_INCREMENT PRIMARY KEY,
    imo_no CHAR(7) NOT NULL UNIQUE CHECK (length(imo_no) = 7),
    name VARCHAR(40) NOT NULL,
    vessel_type_code VARCHAR(4) NOT NULL REFERENCES vessel_type (code),
    flag CHAR(2),
    length_m DECIMAL(6, 2) CHECK (length_m > 0),
    beam_m DECIMAL(5, 2) CHECK (beam_m > 0),
    draught_m DECIMAL(4, 2) CHECK (draught_m BETWEEN 0.5 AND 25),
    gross_tonnage INTEGER CHECK (gross_tonnage >= 0),
    built DATE,
    in_service BOOLEAN NOT NULL DEFAULT 1,
    agent_id INTEGER REFERENCES agent (id),
    photo MEDIUMBLOB,
    remarks TEXT,
    version INTEGER NOT NULL DEFAULT 1,
    CONSTRAINT longer_than_wide CHECK (beam_m IS NULL OR length_m IS NULL OR length_m > beam_m)
);
CREATE INDEX vessel_name ON vessel (name);

CREATE TRIGGER vessel_version BEFORE UPDATE ON vessel FOR EACH ROW
    SET NEW.version = IF(NEW.version = OLD.version, OLD.version + 1, NEW.version);

CREATE TABLE berth (
    code VARCHAR(6) NOT NULL PRIMARY KEY,
    quay VARCHAR(40) NOT NULL,
    length_m DECIMAL(6, 2) NOT NULL CHECK (length_m > 0),
    depth_m DECIMAL(4, 2) NOT NULL CHECK (depth_m > 0),
    shore_power BOOLEAN NOT NULL DEFAULT 0
);

CREATE TABLE pilot (
    id INTEGER AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(60) NOT NULL,
    licence_no VARCHAR(12) NOT NULL UNIQUE,
    licensed_until DATE NOT NULL,
    on_duty BOOLEAN NOT NULL DEFAULT 0
);

CREATE TABLE pilot_shift (
    pilot_id INTEGER NOT NULL REFERENCES pilot (id),
    day DATE NOT NULL,
    starts TIME NOT NULL,
    ends TIME NOT NULL,
    PRIMARY KEY (pilot_id, day),
    CHECK (ends > starts)
);

CREATE TABLE port_call (
    id INTEGER AUTO_INCREMENT PRIMARY KEY,
    vessel_id INTEGER NOT NULL REFERENCES vessel (id),
    berth_code VARCHAR(6) REFERENCES berth (code),
    agent_id INTEGER NOT NULL REFERENCES agent (id),
    pilot_id INTEGER REFERENCES pilot (id),
    status VARCHAR(10) NOT NULL DEFAULT 'announced'
        CHECK (status IN ('announced', 'berthed', 'departed', 'cancelled')),
    eta DATETIME NOT NULL,
    etd DATETIME,
    draught_m DECIMAL(4, 2) CHECK (draught_m BETWEEN 0.5 AND 25),
    purpose VARCHAR(20) NOT NULL DEFAULT 'cargo',
    notes TEXT,
    CONSTRAINT leaves_after_arrival CHECK (etd IS NULL OR etd >= eta)
);
CREATE INDEX port_call_eta ON port_call (eta);
CREATE INDEX port_call_vessel ON port_call (vessel_id);

CREATE TABLE commodity (
    code VARCHAR(8) NOT NULL PRIMARY KEY,
    name VARCHAR(60) NOT NULL,
    dangerous BOOLEAN NOT NULL DEFAULT 0,
    dues_per_tonne DECIMAL(8, 4) NOT NULL CHECK (dues_per_tonne >= 0)
);

CREATE TABLE cargo_line (
    port_call_id INTEGER NOT NULL REFERENCES port_call (id),
    line_no INTEGER NOT NULL CHECK (line_no > 0),
    commodity_code VARCHAR(8) NOT NULL REFERENCES commodity (code),
    direction VARCHAR(3) NOT NULL CHECK (direction IN ('in', 'out')),
    tonnes DECIMAL(10, 3) NOT NULL CHECK (tonnes > 0),
    packages INTEGER CHECK (packages >= 0),
    PRIMARY KEY (port_call_id, line_no)
);

CREATE TABLE container_move (
    port_call_id INTEGER NOT NULL REFERENCES port_call (id),
    container_no CHAR(11) NOT NULL CHECK (length(container_no) = 11),
    direction VARCHAR(3) NOT NULL CHECK (direction IN ('in', 'out')),
    moved_at DATETIME,
    gross_kg INTEGER CHECK (gross_kg BETWEEN 0 AND 40000),
    PRIMARY KEY (port_call_id, container_no, direction)
);

CREATE TABLE dues_invoice (
    invoice_no VARCHAR(12) NOT NULL PRIMARY KEY,
    port_call_id INTEGER NOT NULL UNIQUE REFERENCES port_call (id),
    issued_on DATE NOT NULL,
    amount DECIMAL(12, 2) NOT NULL CHECK (amount >= 0),
    currency CHAR(3) NOT NULL DEFAULT 'EUR',
    paid_on DATE,
    CHECK (paid_on IS NULL OR paid_on >= issued_on)
);

CREATE TABLE tide_gauge (
    code VARCHAR(4) NOT NULL PRIMARY KEY,
    name VARCHAR(40) NOT NULL
);

CREATE TABLE tide_reading (
    id INTEGER AUTO_INCREMENT PRIMARY KEY,
    gauge_code VARCHAR(4) NOT NULL REFERENCES tide_gauge (code),
    taken_at DATETIME NOT NULL,
    level_m DOUBLE,
    quality INTEGER NOT NULL DEFAULT 1 CHECK (quality BETWEEN 0 AND 3)
);
CREATE INDEX tide_reading_taken_at ON tide_reading (taken_at);

CREATE TABLE gate_log (
    passed_at DATETIME NOT NULL,
    plate VARCHAR(12),
    direction VARCHAR(3),
    note TEXT
);

CREATE TABLE `PilotOrder` (
    `order` INTEGER AUTO_INCREMENT PRIMARY KEY,
    `from` VARCHAR(40) NOT NULL,
    `to` VARCHAR(40) NOT NULL,
    `when` DATETIME,
    `group` VARCHAR(20),
    `Select` BOOLEAN NOT NULL DEFAULT 0
);

CREATE VIEW calls_by_vessel AS
    SELECT v.id AS vessel_id, v.name, count(c.id) AS calls, max(c.eta) AS last_eta
    FROM vessel v LEFT JOIN port_call c ON c.vessel_id = v.id
    GROUP BY v.id, v.name;

CREATE VIEW unpaid_dues AS
    SELECT i.invoice_no, v.name AS vessel, i.issued_on, i.amount, i.currency
    FROM dues_invoice i JOIN port_call c ON c.id = i.port_call_id JOIN vessel v ON v.id = c.vessel_id
    WHERE i.paid_on IS NULL;
