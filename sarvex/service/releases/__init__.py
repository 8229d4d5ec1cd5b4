"""An edition brought into force: reviewed, guarded, seen through device by device, and back."""
