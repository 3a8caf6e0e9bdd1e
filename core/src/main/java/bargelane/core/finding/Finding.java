package bargelane.core.finding;

/**
 * Something in the way: the thing it is about, its cause, what mends it and who can.
 *
 * @param code stable, from {@link Code}
 */
public record Finding(Code code, String thing, String cause, Remedy remedy, Who who) {

  public Finding(Code code, String thing, String cause, String advice, Who who) {
    this(code, thing, cause, Remedy.advice(advice), who);
  }

  /** Who can mend it. */
  public enum Who {
    ENGINEER,
    SITE_OWNER,
    SERVICE
  }

  public boolean blocks() {
    return code.blocks;
  }

  /** The one catalogue of findings. */
  public enum Code {
    SITE_UNREACHABLE(true),
    SITE_TOKEN_REFUSED(true),
    SITE_PERMISSION_MISSING(true),
    CREDENTIAL_NOT_FOR_SERVER(true),
    SITE_CLOCK_OFF(false),
    SITE_VERSION_UNKNOWN(false),
    SITE_VERSION_UNFIT(true),
    SITE_PROGRAM_MISSING(true),
    SITE_ROOM_SHORT(false),
    SITE_PACKAGE_DAMAGED(true),
    SITE_EMPTY(false),
    SERVER_KEY_UNKNOWN(true),
    SERVER_KEY_CHANGED(true),
    SERVER_ANSWER_INVALID(true),
    SERVER_FACT_UNREAD(false),
    AGENT_SILENT(true),
    AGENT_ANSWER_INVALID(true),
    AGENT_WAITS(false),
    DISK_KEEPS_NO_CHANGES(false),
    MACHINE_VANISHED(true),
    SIZE_NOT_CHOSEN(true),
    SIZE_NOT_OFFERED(true),
    SIZE_TOO_SMALL(false),
    SIZE_STALE(false),
    NO_SIZE_FITS(true),
    FACT_MISSING(false),
    DISK_TOO_LARGE(true),
    DISK_DEMAND_UNMET(true),
    DISK_SHARED(false),
    DISKS_TOO_MANY(true),
    LICENCE_NOT_CHOSEN(false),
    LICENCE_TIED(false),
    SYSTEM_OUT_OF_SUPPORT(false),
    SYSTEM_SUPPORT_ENDS(false),
    SYSTEM_UNKNOWN(false),
    BOOT_LEGACY(false),
    DEVICE_UNSUPPORTED(false),
    ADDRESS_IN_USE(false),
    CLOCK_OFF(false),
    ROOM_FOR_REFIT_SHORT(false),
    PLATFORM_AGENT_PRESENT(false),
    CHANGES_NOT_TRACKED(false),
    HOUSE_RULE(false),
    FIRMWARE_NOT_OFFERED(true),
    NETWORK_NOT_JOINED(true),
    SUBNET_UNKNOWN(true),
    SUBNET_FULL(true),
    SUBNET_RANGE_UNKNOWN(false),
    ADDRESS_OUTSIDE_SUBNET(true),
    ADDRESS_TAKEN(true),
    STORAGE_NOT_JOINED(true),
    STORAGE_UNKNOWN(true),
    QUOTA_MACHINES(true),
    QUOTA_VOLUMES(true),
    SNAPSHOT_NARROWER_THAN_TOW(false),
    NOT_LOADED(true),
    NO_POINT(true),
    POINT_UNREADABLE(false),
    SERVICE_MAY_LIVE(true),
    WAVE_RUNS_IN_PART(true),
    MACHINE_LEFT_BY_MOVE(true),
    NAME_TAKEN(true),
    MACHINE_IN_WAVE(true),
    SITE_DIFFERS(false),
    SITE_ADDRESS_UNFIT(true),
    PASS_FAILING(true),
    EXPOSURE_OVER_RPO(true),
    NOT_TESTED(true),
    TEST_FAILED(true),
    TEST_LAPSED(true),
    NOT_LANDED(true),
    SIDES_DIVERGED(true),
    NOT_SETTLED(true),
    NOT_PROTECTED(true);

    private final boolean blocks;

    Code(boolean blocks) {
      this.blocks = blocks;
    }

    /** Whether it is about a machine's size, and so of the gate 'sized'. */
    public boolean ofSize() {
      return name().startsWith("SIZE_") || this == NO_SIZE_FITS;
    }

    /** Whether it is about where a machine's disks go. */
    public boolean ofStorage() {
      return this == STORAGE_NOT_JOINED || this == STORAGE_UNKNOWN;
    }

    /** The stable form: lower case with dashes. */
    public String text() {
      return name().toLowerCase(java.util.Locale.ROOT).replace('_', '-');
    }
  }
}
