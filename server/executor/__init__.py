"""The processes that compute: the only ones in which questions are answered and jobs are done."""
