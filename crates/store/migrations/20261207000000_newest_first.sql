-- The newest clips are read before all others at start.
ALTER TABLE clips ADD KEY by_order (ordered_at);
