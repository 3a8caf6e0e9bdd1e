package bargelane.api;

/** A failover. {@code sourceLost} declares the source lost where it can not be reached. */
public record FailoverRequest(String confirm, String point, Boolean sourceLost) {}
