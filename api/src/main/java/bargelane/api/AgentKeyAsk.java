package bargelane.api;

/** A key for an agent to make; good for an hour if nothing is told. */
public record AgentKeyAsk(Long validSeconds) {}
