"""The trade itself: quantities, catalogue, job, pipework, joints, making, rules. No Flask, no SQL, no HTML."""
