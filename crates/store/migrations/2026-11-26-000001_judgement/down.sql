ALTER TABLE samples
    DROP COLUMN cov_xy,
    DROP COLUMN peak_ratio,
    DROP COLUMN back_error,
    DROP COLUMN solved,
    DROP COLUMN shape;
