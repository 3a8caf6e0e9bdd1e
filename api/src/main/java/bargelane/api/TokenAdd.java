package bargelane.api;

import java.util.List;

/**
 * A new token.
 *
 * @param account whose it is; the caller's if left out
 * @param roles what it may do; all that its account may if left out
 * @param lifeSeconds how long it is valid; 90 days if left out
 * @param tug makes it a token that only that tug can use
 */
public record TokenAdd(
    String name, String account, List<String> roles, Long lifeSeconds, String tug) {}
