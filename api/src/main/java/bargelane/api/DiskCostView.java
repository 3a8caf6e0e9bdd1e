package bargelane.api;

import java.math.BigDecimal;

/** What a disk costs a month. */
public record DiskCostView(String volume, long bytes, String storage, BigDecimal monthly) {}
