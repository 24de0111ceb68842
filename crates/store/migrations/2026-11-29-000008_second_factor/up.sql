-- What somebody's authenticator shares with us (RFC 6238), and the step of the last code they used: none counts twice.
ALTER TABLE people ADD COLUMN totp bytea CHECK (octet_length(totp) = 20);
ALTER TABLE people ADD COLUMN totp_step bigint NOT NULL DEFAULT 0;
