-- The gauge that backflow assemblies are tested with.
INSERT OR IGNORE INTO instrument (name, resolution_bar, range_bar) VALUES ('differential gauge 0-15 psi, 0.1', 0.00689, 1.0342);
