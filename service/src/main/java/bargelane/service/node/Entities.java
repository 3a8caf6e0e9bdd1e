package bargelane.service.node;

import bargelane.service.account.AccountEntity;
import bargelane.service.account.AuditEntity;
import bargelane.service.account.TokenEntity;
import bargelane.service.approval.ApprovalEntity;
import bargelane.service.assess.AssessmentEntity;
import bargelane.service.assess.FitnessRulesEntity;
import bargelane.service.assess.PriceBookEntity;
import bargelane.service.assess.RevisionEntity;
import bargelane.service.assess.SizeChoiceEntity;
import bargelane.service.estate.EstateBaseEntity;
import bargelane.service.event.EventEntity;
import bargelane.service.guest.AgentEntity;
import bargelane.service.guest.AgentKeyEntity;
import bargelane.service.guest.ServerEntity;
import bargelane.service.http.AnsweredEntity;
import bargelane.service.lane.LaneEntity;
import bargelane.service.lane.LinkEntity;
import bargelane.service.machine.ChangeEntity;
import bargelane.service.machine.FilterWordsMigration;
import bargelane.service.machine.LabelRuleEntity;
import bargelane.service.machine.MachineAddressEntity;
import bargelane.service.machine.MachineEntity;
import bargelane.service.machine.MachineWaveEntity;
import bargelane.service.machine.SightingEntity;
import bargelane.service.move.ConsoleEntity;
import bargelane.service.move.DossierEntity;
import bargelane.service.plan.WaveEntity;
import bargelane.service.platform.SettingEntity;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.PassEntity;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.ReplicaEntity;
import bargelane.service.replication.TimetableEntity;
import bargelane.service.replication.TowEntity;
import bargelane.service.run.RunEntity;
import bargelane.service.run.StepEntity;
import bargelane.service.site.CredentialEntity;
import bargelane.service.site.SiteCredentialEntity;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.SiteObjectEntity;
import bargelane.service.usage.DigestMigration;
import bargelane.service.usage.UsageCounterEntity;
import java.util.List;
import org.flywaydb.core.api.migration.JavaMigration;

/** What Hibernate keeps of this service, room by room. */
public final class Entities {

  public static final List<Class<?>> ALL =
      List.of(
          SettingEntity.class,
          EventEntity.class,
          AccountEntity.class,
          AuditEntity.class,
          TokenEntity.class,
          AnsweredEntity.class,
          RunEntity.class,
          StepEntity.class,
          SiteEntity.class,
          CredentialEntity.class,
          SiteCredentialEntity.class,
          SiteObjectEntity.class,
          MachineEntity.class,
          MachineAddressEntity.class,
          MachineWaveEntity.class,
          SightingEntity.class,
          ChangeEntity.class,
          LabelRuleEntity.class,
          ServerEntity.class,
          AgentEntity.class,
          AgentKeyEntity.class,
          UsageCounterEntity.class,
          AssessmentEntity.class,
          RevisionEntity.class,
          SizeChoiceEntity.class,
          PriceBookEntity.class,
          FitnessRulesEntity.class,
          LaneEntity.class,
          LinkEntity.class,
          TimetableEntity.class,
          TowEntity.class,
          EstateBaseEntity.class,
          MemberEntity.class,
          LegEntity.class,
          ReplicaEntity.class,
          PointEntity.class,
          PassEntity.class,
          WaveEntity.class,
          ApprovalEntity.class,
          DossierEntity.class,
          ConsoleEntity.class);

  private Entities() {}

  /** Steps of the schema's history that no SQL alone can take. */
  public static JavaMigration[] migrations() {
    return new JavaMigration[] {new DigestMigration(), new FilterWordsMigration()};
  }
}
