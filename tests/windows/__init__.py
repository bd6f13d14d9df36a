"""The built program on a Windows Python under Wine; run by `make test-windows`."""
