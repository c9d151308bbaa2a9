"""Programs that only exchange files, and jobs of services: upload files, lists, answers."""
