-- What the engine has to say of a sample beyond its match. NaN stands for what is not known; the shape has six numbers a
-- frame, or none at all for a pin that takes only the position.
ALTER TABLE samples
    ADD COLUMN cov_xy real[] NOT NULL DEFAULT '{}',
    ADD COLUMN peak_ratio real[] NOT NULL DEFAULT '{}',
    ADD COLUMN back_error real[] NOT NULL DEFAULT '{}',
    ADD COLUMN solved boolean[] NOT NULL DEFAULT '{}',
    ADD COLUMN shape double precision[] NOT NULL DEFAULT '{}';
