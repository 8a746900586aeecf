"""Long work: simulated years, advice, comparisons. One worker thread; progress can be read, work can be cancelled."""
