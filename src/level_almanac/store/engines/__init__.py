"""The engines that answer the store's SQL, each behind the interface of `store/engine.py`."""
