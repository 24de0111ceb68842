-- By whom somebody is known elsewhere: an identity provider's name for them (OpenID Connect Core 1.0, section 2).
CREATE TABLE identities (
    issuer text NOT NULL CHECK (length(issuer) <= 1000),
    subject text NOT NULL CHECK (length(subject) <= 255),
    person_id uuid NOT NULL REFERENCES people ON DELETE CASCADE,
    called text NOT NULL,
    made_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (issuer, subject)
);
CREATE INDEX identities_person ON identities (person_id);
