"""The rules of sugarmaking and every computation of the job.

Pure functions of floats or numpy arrays; SI units inside. Nothing here knows of
storage, of the network or of a screen. One folder for each station of the line:
`vacuum` (woods), `sap` (tank), `membrane`, `evaporator`, `packing`; `sugar` holds
what they share and `run` puts them together for one evening.
"""
