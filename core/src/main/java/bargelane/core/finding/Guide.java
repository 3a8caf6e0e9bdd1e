package bargelane.core.finding;

import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import java.util.List;

/**
 * What is known of a finding before it is met: who can usually mend it, and what they do. A finding
 * that is met says it for the thing that it is about.
 *
 * @param actions in the order in which they are tried
 */
public record Guide(Who who, List<Action> actions) {

  /** That of a code. */
  public static Guide of(Code code) {
    return new Guide(who(code), actions(code));
  }

  private static Who who(Code code) {
    return switch (code) {
      case SITE_UNREACHABLE,
          SITE_PERMISSION_MISSING,
          SITE_CLOCK_OFF,
          SITE_VERSION_UNKNOWN,
          SITE_VERSION_UNFIT,
          SITE_PROGRAM_MISSING,
          SITE_ROOM_SHORT,
          SERVER_ANSWER_INVALID,
          SERVER_FACT_UNREAD,
          AGENT_SILENT,
          AGENT_ANSWER_INVALID,
          FIRMWARE_NOT_OFFERED,
          DISK_CARRIED,
          CARRIED_MISSING,
          CARRIED_UNFIT,
          CARRIED_BEHIND,
          LINK_CLOSED,
          QUOTA_MACHINES,
          QUOTA_VOLUMES ->
          Who.SITE_OWNER;
      case NO_POINT -> Who.SERVICE;
      default -> Who.ENGINEER;
    };
  }

  private static List<Action> actions(Code code) {
    return switch (code) {
      case SITE_UNREACHABLE,
          SITE_PERMISSION_MISSING,
          SITE_CLOCK_OFF,
          SITE_VERSION_UNKNOWN,
          SITE_VERSION_UNFIT,
          SITE_PROGRAM_MISSING,
          SITE_ROOM_SHORT,
          FIRMWARE_NOT_OFFERED ->
          List.of(Action.SITE_CHECK);
      case SITE_TOKEN_REFUSED -> List.of(Action.CREDENTIAL_EDIT, Action.SITE_CREDENTIALS);
      case CREDENTIAL_NOT_FOR_SERVER -> List.of(Action.CREDENTIAL_BIND);
      case SITE_PACKAGE_DAMAGED, MACHINE_VANISHED, MACHINE_LEFT_BY_MOVE ->
          List.of(Action.SITE_SCAN);
      case SITE_EMPTY -> List.of(Action.SERVER_ADD, Action.AGENT_KEY);
      case SERVER_KEY_UNKNOWN, SERVER_KEY_CHANGED ->
          List.of(Action.SERVER_LIST, Action.SERVER_TRUST);
      case SERVER_ANSWER_INVALID, SERVER_FACT_UNREAD -> List.of(Action.SERVER_LIST);
      case AGENT_SILENT, AGENT_ANSWER_INVALID -> List.of(Action.AGENT_LIST, Action.AGENT_KEY);
      case AGENT_WAITS -> List.of(Action.AGENT_APPROVE, Action.AGENT_REMOVE);
      case SIZE_NOT_CHOSEN, SIZE_NOT_OFFERED, SIZE_TOO_SMALL, DISKS_TOO_MANY ->
          List.of(Action.ASSESSMENT_ADD, Action.WAVE_SIZE);
      case SIZE_STALE -> List.of(Action.ASSESSMENT_COMPARE);
      case NO_SIZE_FITS,
          FACT_MISSING,
          DISK_DEMAND_UNMET,
          DISK_SHARED,
          LICENCE_NOT_CHOSEN,
          LICENCE_TIED,
          SYSTEM_OUT_OF_SUPPORT,
          SYSTEM_SUPPORT_ENDS,
          SYSTEM_UNKNOWN,
          CLOCK_OFF,
          BOOT_LEGACY,
          DEVICE_UNSUPPORTED,
          ROOM_FOR_REFIT_SHORT,
          PLATFORM_AGENT_PRESENT,
          CHANGES_NOT_TRACKED ->
          List.of(Action.ASSESSMENT_MACHINE);
      case HOUSE_RULE -> List.of(Action.FITNESS_LIST);
      case ADDRESS_IN_USE -> List.of(Action.LANE_CLIENTS);
      case RANGE_DIVIDED -> List.of(Action.LANE_SPANS);
      case PORT_CLOSED -> List.of(Action.LANE_INGRESS);
      case LINK_CLOSED -> List.of(Action.LANE_LINK);
      case NETWORK_NOT_JOINED -> List.of(Action.LANE_JOIN_NETWORK);
      case STORAGE_NOT_JOINED, STORAGE_UNKNOWN, DISK_NOT_COPIED ->
          List.of(Action.LANE_JOIN_STORAGE);
      case DISK_LEFT_OUT, FIRST_DISK_LEFT_OUT, CARRIED_MISSING, CARRIED_UNFIT ->
          List.of(Action.LANE_COPY_DISK);
      case CARRIED_BEHIND -> List.of(Action.LANE_SET);
      case SUBNET_UNKNOWN, SUBNET_FULL, SUBNET_RANGE_UNKNOWN -> List.of(Action.LANE_SUBNET);
      case RANGE_OVERLAPS -> List.of(Action.LANE_ACCEPT_OVERLAP);
      case ADDRESS_OUTSIDE_SUBNET,
          ADDRESS_RESERVED,
          ADDRESS_TAKEN,
          DISK_TOO_LARGE,
          POWER_DIFFERS,
          RULES_DIFFER,
          NAME_REFUSED,
          ZONE_UNKNOWN,
          ZONE_UNFIT,
          ZONES_NOT_APART,
          BOOT_PROTECTION_UNFIT,
          LICENCE_MISSING,
          LICENCE_REFUSED,
          SOCKETS_UNFIT,
          CHOICE_NOT_OFFERED,
          COPY_ELSEWHERE ->
          List.of(Action.LANE_SET);
      case QUOTA_MACHINES, QUOTA_VOLUMES -> List.of(Action.SITE_SCAN, Action.WAVE_SETTLE);
      case NOT_LOADED, NO_POINT, NOT_PROTECTED -> List.of(Action.WAVE_LOAD);
      case PASS_FAILING, EXPOSURE_OVER_RPO -> List.of(Action.WAVE_SHOW, Action.RUN_LIST);
      case NOT_TESTED, TEST_LAPSED -> List.of(Action.WAVE_TEST);
      case TEST_FAILED -> List.of(Action.RUN_SHOW, Action.RUN_CONSOLE);
      case NOT_LANDED -> List.of(Action.WAVE_CUTOVER);
      case NOT_SETTLED -> List.of(Action.WAVE_SETTLE);
      case SIDES_DIVERGED -> List.of(Action.WAVE_RECONCILE);
      case SITE_ADDRESS_UNFIT -> List.of(Action.SITE_ADD);
      default -> List.of();
    };
  }
}
