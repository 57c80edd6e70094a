"""The machine underneath: figures of a host, cores and queues, what-if."""
