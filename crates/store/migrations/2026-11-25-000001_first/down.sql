DROP TABLE jobs, log, samples, shots, clips, projects, owners;
