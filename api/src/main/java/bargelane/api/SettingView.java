package bargelane.api;

import java.util.List;

/**
 * What can be decided on a lane.
 *
 * @param scopes what it can be decided for, the most specific first
 * @param values what the target takes now; empty where it is free text, or nothing
 * @param form how a value is written
 */
public record SettingView(String setting, List<String> scopes, List<String> values, String form) {}
